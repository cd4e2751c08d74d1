// Which frame stands in each cell of a place.
#pragma once

#include "movement/cells_p.h"
#include "movement/places_p.h"

#include <span>
#include <vector>

namespace yolk {

/// Who decides in a place.
struct PlaceKeeper {
    size_t frame = 0;
    bool isChosen = false; ///< somebody chose it: also where its light drowns in noise, or clips in part of a cell
    bool whatever = false; ///< wherever it shows anything, clipped or not: somebody said so
    bool removes = false;  ///< nobody: what most frames show, and of equals what this one does not
    bool isDrawn() const { return whatever || removes; }
};

/// Signal to noise of a pixel below which a frame does not hold it.
inline constexpr float kDark = 5.0f;
/// What a clipped cell costs, against one that shows its light clean (0) or drowned in noise (1).
inline constexpr float kClippedCost = 3.0f;
/// Disagreement up to which two frames show the same.
inline constexpr float kSame = 0.5f;

/// How well a frame shows a cell: 0 not at all, up to 1.
float meritOf(const CellFrame &frame, int x, int y);

/// Whether a frame contradicts another in one of its clipped cells: shows less than that has at least.
bool isDarkerThanClipped(const CellFrame &clipped, const CellFrame &other, int x, int y);

/// Whether the keeper settles what stands in a cell.
bool decides(const PlaceKeeper &keeper, const std::vector<CellFrame> &frames, int x, int y);

/// 1 + index of the frame that stands in each cell of the places, 0 elsewhere. Where a place's keeper decides, that is
/// the keeper; of a cell that it clips in part the merge takes the rest from who shows most light. In what it leaves open, clipped or not shown, frames stand in that do not contradict what it does say,
/// so that they show their light well and the seams between them run where they show the same; where every one
/// contradicts it, its own light stays. Where something is to be removed, frames stand that show what most do.
/// `keepers`: one for each place; `instead`: 1 + index of the frame that decides in a cell in their place, 0: they do.
/// Threads: one, but for comparisons.
/// Source: seams by expansion moves, [BoykovVekslerZabih2001].
Image<uint16_t> standingFrames(const std::vector<CellFrame> &frames, const Places &places,
                               std::span<const PlaceKeeper> keepers, const Image<uint16_t> &instead,
                               CloseComparisons &close, ExecContext &ctx);

} // namespace yolk
