// What moved between the frames, and which frame shows it: one whole state for each place.
#pragma once

#include "align/trust.h"
#include "movement/movement_settings.h"

#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// A part of the picture drawn by hand, in pixels of the aligned frames.
struct DrawnRegion {
    HandTask task = HandTask::Treat;
    size_t frame = 0; ///< TakeFrom
    double radius = 0.0;
    std::vector<Point> points;
};

struct MovementRequest {
    double sensitivity = 50.0;        ///< [0, 100]; at 0 only what was drawn counts
    std::optional<size_t> keeper;     ///< empty: the frame that holds most of what moved
    size_t preferred = 0;             ///< among equals: the reference frame
    std::vector<DrawnRegion> drawn{}; ///< later ones win
    double mostCells = 1.6e6;         ///< how finely it is looked for: cells of the picture; a first picture's pixels
};

/// A connected place where something moved, in pixels of the frames.
struct MovedPlace {
    Rect area{};                  ///< around it
    double pixels = 0.0;          ///< how many it has
    size_t frame = 0;             ///< that says what stands there, where it can
    std::vector<double> counts{}; ///< of each frame: share of the place in which it shows the same and is merged too
    double keeperHolds = 0.0;     ///< share of the place that the keeper shows, neither clipped nor lost in noise
    bool slight = false;          ///< no thing: too small, or edges that do not meet, which alignment left
    bool byHand = false;          ///< taken from this frame because somebody said so
    bool removed = false;         ///< somebody said that what was in the way goes; `frame` stands in most of it
    bool operator==(const MovedPlace &) const = default;
};

struct Movement {
    size_t keeper = 0;
    std::vector<MovedPlace> places; ///< things before edges, larger ones first
    int cell = 1;                   ///< pixels to a cell of what follows
    Image<uint16_t> cells;    ///< 1 + index of the place that a cell belongs to, 0: none; empty where there is none
    Image<uint16_t> standing; ///< 1 + index of the frame that stands in a cell of a place, 0: none
    /// One per frame, empty where there is no place: 127 it counts in full whatever contradicts it, -127 not at all, 0
    /// as the merge would have it; between cells' middles the values run linearly.
    std::vector<Image<int8_t>> grids;

    int placeAt(int x, int y) const; ///< index of the place of a pixel, -1: none
    int frameAt(int x, int y) const; ///< index of the frame that stands in the place of a pixel, -1: none
    /// Of each frame: the share of all places in which it stands. `frames`: how many there are.
    std::vector<double> standingShares(size_t frames) const;
    double share() const; ///< of the picture that its places take, without slight ones
    size_t bytes() const;
};

/// In a place the keeper decides if it holds most of it (one chosen by hand: anything of it), else the frame that shows
/// it best; where that clips, drowns or ends, frames stand in that do not contradict it, with seams where they agree.
/// What is to be removed gives way to what most frames show, cell by cell. Other frames are merged where they show the
/// same, as far as noise lets anybody tell. Places are grown to where frames agree, so that no half things remain.
/// Shapes:  1 or more frames of one size, as in doubted(), dark to bright. Throws ArgumentError, Cancelled.
/// Threads: bands; the same bits for any runner.
/// Memory:  some 60 bytes per cell, 14 per cell and frame; at most `mostCells` of them.
/// Source:  whole regions of one state as in [Gallo2009] and [PeceKautz2010], by connected components, with seams by
/// [BoykovVekslerZabih2001]; the test is our own.
Movement findMovement(std::span<const AlignedFrame> frames, const MovementRequest &request, ExecContext &ctx);

/// The same on `width` x `height` pixels that are `factor` times as fine.
Movement enlarged(const Movement &movement, int factor, int width, int height);

/// Round the largest connected part of a place, in pixels of the frames; empty where there is no such place.
std::vector<Point> outlineOf(const Movement &movement, size_t place);

/// The trust of a frame in one row under its grid: `trust` is nullptr where it is believed everywhere. Returns false,
/// and leaves `out` alone, where the grid has nothing to say.
bool steerRow(const ImageView<const int8_t> &grid, int cell, int y, int width, const uint8_t *trust, uint8_t *out);

} // namespace yolk
