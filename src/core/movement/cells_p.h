// What movement looks at: frames as means over square cells, and how they contradict each other.
#pragma once

#include "align/trust.h"

#include <map>
#include <memory>
#include <span>
#include <utility>
#include <vector>

namespace yolk {

/// One frame in cells of some pixels a side, on a common scale of light.
struct CellFrame {
    Image<float> light;   ///< one plane or three: mean over the cell
    Image<uint8_t> clips; ///< 1 where a channel of any pixel clips
    Image<uint8_t>
        nearClips;         ///< 1 where one within some three pixels does: demosaicing and resampling bend values there
    Image<uint8_t> absent; ///< 1 where the frame does not show all of the cell
    double gain = 0.0, read = 0.0; ///< variance of a pixel's light l is gain * l + read
    int pixels = 1;                ///< of a cell
    float clipping = 1.0f;         ///< light from which on a pixel clips

    /// Whether pixels clip there and not all of them do: their mean would lie above clipping.
    bool clipsInPart(int x, int y) const
    {
        float most = light.row(0, y)[x];
        for (int c = 1; c < light.planes(); ++c)
            most = most > light.row(c, y)[x] ? most : light.row(c, y)[x];
        return clips.row(0, y)[x] && most < clipping;
    }
    float pixelVariance(float l) const { return float(gain) * (l > 0.0f ? l : 0.0f) + float(read); }
};

/// Threads: bands; the same bits for any runner.
CellFrame cellsOf(const AlignedFrame &frame, int cell, ExecContext &ctx);

/// Two frames, cell by cell.
struct Comparison {
    Image<float> apart; ///< how much they disagree, in units of what is tolerated: above 1 something moved
    Image<float>
        blind; ///< by which share of the light they could differ without being noticed; kBlind where none is known
};
inline constexpr float kBlind = 1e9f;
inline constexpr float kSeeing = 0.35f; // share of the light that must be noticed for that to be believed

/// How well frames are known to lie on each other: as well as on a tripod, or up to a cell off.
enum class Fit { Close, Loose };

/// Differences count against the noise of both, against `response` (share of the light by which response and exposure
/// may be wrong) and against a remaining shift at edges (with a loose fit against all that lies within a cell); once
/// squared over 3 x 3 cells, for detail, and once with their sign over 9 x 9, where noise, demosaicing and small shifts
/// cancel, for what is soft. Light that clips in one must be at least as bright in the other. Cells that one of both
/// does not show say nothing.
/// Shapes: both of one size, with as many planes. Threads: bands; the same bits for any runner.
/// Memory: 8 bytes per cell, and some rows a thread.
Comparison compare(const CellFrame &a, const CellFrame &b, Fit fit, double response, ExecContext &ctx);

/// Compares frames under a close fit, once where that can be kept: pairs with the preferred frame, which most places ask
/// for again, and kMostKept others.
/// Memory: 8 bytes per cell and pair that is kept.
class CloseComparisons {
public:
    CloseComparisons(std::span<const CellFrame> frames, size_t preferred, double response)
        : frames_(frames), preferred_(preferred), response_(response)
    {
    }
    std::shared_ptr<const Comparison> of(size_t a, size_t b, ExecContext &ctx);

private:
    static constexpr size_t kMostKept = 8;
    std::span<const CellFrame> frames_;
    size_t preferred_;
    size_t others_ = 0; ///< that are kept
    double response_;
    std::map<std::pair<size_t, size_t>, std::shared_ptr<const Comparison>> kept_;
};

/// The pairs that movement is looked for in, smaller index first: neighbours in exposure, each frame and the one after
/// the next, and all with the preferred one.
std::vector<std::pair<size_t, size_t>> pairsToCompare(size_t frames, size_t preferred);

/// Fills nearClips from clips; `reach` in cells.
void spreadClips(CellFrame &frame, int reach);

/// Share of the light by which response and exposure may be wrong, at a sensitivity above 0, up to 100.
double responseTolerance(double sensitivity);

} // namespace yolk
