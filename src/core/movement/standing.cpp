#include "movement/standing_p.h"

#include <opencv2/core.hpp>
#include <opencv2/imgproc/detail/gcgraph.hpp>

#include <algorithm>
#include <cmath>
#include <utility>

namespace yolk {
namespace {

constexpr float kClean = 20.0f; // signal to noise beyond which more is no merit
// Costs of a cell beside kClippedCost: saying other than the keeper says, which is never worth what clipping costs; not
// showing it at all.
constexpr float kContradicts = 10.0f, kAbsent = 1e4f;
// Costs of a seam between two cells: where the frames differ in both, more than a clipped cell; where they agree, just
// so much that there are no seams without need.
constexpr float kSeam = 4.0f, kStep = 0.02f;
// Where something is to be removed: costs of what no other frame shows, which is as bad as contradicting; and of what is
// to go, among equals.
constexpr float kAlone = kContradicts, kInTheWay = 1.5f;

constexpr float kSigmas = 3.0f, kDarker = 0.9f; // of a clipped light: what others may show of it

float cellNoise(const CellFrame &a, const CellFrame &b, float la, float lb)
{
    return std::sqrt((a.pixelVariance(la) + b.pixelVariance(lb)) / float(a.pixels));
}

/// How far two frames lie apart in a cell, 0 to 1: against a tenth of the light and three sigmas.
float apartIn(const CellFrame &a, const CellFrame &b, int x, int y)
{
    constexpr float kTenth = 0.1f;
    if (a.absent.row(0, y)[x] || b.absent.row(0, y)[x])
        return 1.0f;
    const bool clipsA = a.clips.row(0, y)[x] != 0, clipsB = b.clips.row(0, y)[x] != 0;
    if (clipsA && clipsB)
        return 0.0f;
    float most = 0.0f;
    for (int c = 0; c < a.light.planes(); ++c) {
        const float la = a.light.row(c, y)[x], lb = b.light.row(c, y)[x];
        if ((clipsA && lb >= kDarker * la) || (clipsB && la >= kDarker * lb))
            continue; // a clipped side says only that there is at least so much
        const float allowed = kTenth * std::max(la, lb) + kSigmas * cellNoise(a, b, la, lb);
        most = std::max(most, std::abs(la - lb) / (2.0f * std::max(allowed, 1e-12f)));
    }
    return std::min(1.0f, most);
}

/// The cells that keepers leave open, and what each frame costs there.
class OpenCells {
public:
    OpenCells(const std::vector<CellFrame> &frames, const Places &places, std::span<const PlaceKeeper> keepers,
              const Image<uint16_t> &instead, Image<uint16_t> &labels)
        : frames_(frames), labels_(labels), nodeAt_(labels.width(), labels.height(), 1)
    {
        for (int y = 0; y < labels.height(); ++y)
            for (int x = 0; x < labels.width(); ++x) {
                const size_t at = places.of.row(0, y)[x];
                nodeAt_.row(0, y)[x] = -1;
                if (at == 0)
                    continue;
                const uint16_t other = instead.row(0, y)[x];
                const PlaceKeeper keeper = other > 0 ? PlaceKeeper{other - 1u} : keepers[at - 1];
                labels.row(0, y)[x] = uint16_t(keeper.frame + 1);
                if (decides(keeper, frames, x, y))
                    continue;
                nodeAt_.row(0, y)[x] = int(cells_.size());
                cells_.push_back({x, y, keeper.frame, keeper.removes});
            }
        costs_.resize(cells_.size() * frames.size());
    }
    bool empty() const { return cells_.empty(); }

    void setCosts(CloseComparisons &close, ExecContext &ctx)
    {
        const size_t n = frames_.size();
        for (size_t node = 0; node < cells_.size(); ++node)
            for (size_t i = 0; i < n; ++i)
                costs_[node * n + i] = costOf(frames_[i], cells_[node].x, cells_[node].y);
        for (size_t keeper = 0; keeper < n; ++keeper) {
            if (std::ranges::none_of(cells_, [&](const Cell &c) { return c.keeper == keeper; }))
                continue;
            for (size_t i = 0; i < n; ++i) {
                if (i == keeper)
                    continue;
                ExecContext own = ctx.child({});
                const auto pair = close.of(keeper, i, own);
                for (size_t node = 0; node < cells_.size(); ++node)
                    if (const Cell &c = cells_[node]; c.keeper == keeper && !c.removes &&
                                                      !frames_[keeper].absent.row(0, c.y)[c.x] &&
                                                      pair->apart.row(0, c.y)[c.x] > kSame)
                        costs_[node * n + i] += kContradicts;
            }
        }
        if (std::ranges::any_of(cells_, &Cell::removes))
            addRemoval(close, ctx);
        for (size_t node = 0; node < cells_.size(); ++node) {
            const float *own = costs_.data() + node * n;
            // The keeper where it is as good as any.
            const size_t cheapest = size_t(std::min_element(own, own + n) - own);
            label(node) = uint16_t(own[cells_[node].keeper] <= own[cheapest] ? cells_[node].keeper + 1 : cheapest + 1);
        }
    }

    /// Expands every label that some cell has, until no cell changes.
    void settle(ExecContext &ctx)
    {
        constexpr int kMostSweeps = 4; // the later ones change next to nothing
        for (int sweep = 0; sweep < kMostSweeps; ++sweep) {
            bool changed = false;
            std::vector<bool> there(frames_.size() + 1);
            for (size_t node = 0; node < cells_.size(); ++node)
                there[label(node)] = there[cells_[node].keeper + 1] = true;
            for (uint16_t l = 1; l <= frames_.size(); ++l) {
                ctx.throwIfStopped();
                changed = (there[l] && expand(l)) || changed;
            }
            if (!changed)
                return;
        }
    }

private:
    struct Cell {
        int x, y;
        size_t keeper;
        bool removes;
    };

    /// What stands behind is what most frames show; with only two, what the keeper does not.
    void addRemoval(CloseComparisons &close, ExecContext &ctx)
    {
        const size_t n = frames_.size();
        std::vector<float> agreeing(costs_.size()); // of each frame, how many others show the same
        std::vector<uint8_t> likeKeeper(costs_.size());
        for (size_t a = 0; a < n; ++a)
            for (size_t b = a + 1; b < n; ++b) {
                ExecContext own = ctx.child({});
                const auto pair = close.of(a, b, own);
                for (size_t node = 0; node < cells_.size(); ++node) {
                    const Cell &c = cells_[node];
                    // Who shows nothing agrees with nobody.
                    if (!c.removes || !shows(a, c) || !shows(b, c) || pair->apart.row(0, c.y)[c.x] > kSame)
                        continue;
                    agreeing[node * n + a] += 1.0f;
                    agreeing[node * n + b] += 1.0f;
                    likeKeeper[node * n + a] |= b == c.keeper;
                    likeKeeper[node * n + b] |= a == c.keeper;
                }
            }
        for (size_t node = 0; node < cells_.size(); ++node) {
            if (!cells_[node].removes)
                continue;
            const float *own = agreeing.data() + node * n;
            const float most = *std::max_element(own, own + n);
            for (size_t i = 0; i < n; ++i) {
                costs_[node * n + i] += most > 0.0f ? kAlone * (most - own[i]) / most : 0.0f;
                const bool same = i == cells_[node].keeper || likeKeeper[node * n + i];
                costs_[node * n + i] += same ? kInTheWay : 0.0f;
            }
        }
    }
    bool shows(size_t frame, const Cell &c) const
    {
        return !frames_[frame].clips.row(0, c.y)[c.x] && !frames_[frame].absent.row(0, c.y)[c.x];
    }
    static float costOf(const CellFrame &frame, int x, int y)
    {
        return frame.absent.row(0, y)[x]  ? kAbsent
               : frame.clips.row(0, y)[x] ? kClippedCost
                                          : 1.0f - meritOf(frame, x, y);
    }
    uint16_t &label(size_t node) { return labels_.row(0, cells_[node].y)[cells_[node].x]; }
    bool isIn(int x, int y) const { return x >= 0 && y >= 0 && x < labels_.width() && y < labels_.height(); }
    float seam(uint16_t a, uint16_t b, int x, int y, int u, int v) const
    {
        return a == b || a == 0 || b == 0 ? 0.0f
                                          : kStep + 0.5f * kSeam *
                                                        (apartIn(frames_[a - 1u], frames_[b - 1u], x, y) +
                                                         apartIn(frames_[a - 1u], frames_[b - 1u], u, v));
    }

    /// One expansion move: each open cell keeps its label or takes `alpha`, whichever is cheapest for all together.
    bool expand(uint16_t alpha)
    {
        const size_t n = frames_.size();
        cv::detail::GCGraph<float> graph(unsigned(cells_.size() + 1), unsigned(4 * cells_.size() + 2));
        std::vector<float> taking(cells_.size()); // what alpha costs more than what is there
        for (size_t node = 0; node < cells_.size(); ++node) {
            graph.addVtx();
            taking[node] = costs_[node * n + alpha - 1u] - costs_[node * n + label(node) - 1u];
        }
        for (size_t node = 0; node < cells_.size(); ++node) {
            const int x = cells_[node].x, y = cells_[node].y;
            const uint16_t here = label(node);
            for (const auto &[dx, dy] : {std::pair(-1, 0), std::pair(1, 0), std::pair(0, -1), std::pair(0, 1)}) {
                const int u = x + dx, v = y + dy;
                if (!isIn(u, v))
                    continue;
                const int other = nodeAt_.row(0, v)[u];
                const uint16_t there = labels_.row(0, v)[u];
                if (other < 0) { // settled
                    taking[node] += seam(alpha, there, x, y, u, v) - seam(here, there, x, y, u, v);
                    continue;
                }
                if (dx + dy < 0)
                    continue; // seen from the other side
                // With both keeping, one or the other taking, and both taking (0) alpha.
                const float second = seam(here, alpha, x, y, u, v), first = seam(alpha, there, x, y, u, v);
                const float both = std::min(seam(here, there, x, y, u, v), first + second); // no metric: cut to one
                taking[node] += first - both;
                taking[size_t(other)] -= first;
                graph.addEdges(int(node), other, first + second - both, 0.0f);
            }
        }
        graph.addEdges(0, graph.addVtx(), 0.0f, 0.0f); // the library wants an edge, and there may be none
        for (size_t node = 0; node < cells_.size(); ++node)
            graph.addTermWeights(int(node), std::max(taking[node], 0.0f), std::max(-taking[node], 0.0f));
        graph.maxFlow();
        bool changed = false;
        for (size_t node = 0; node < cells_.size(); ++node)
            if (!graph.inSourceSegment(int(node)) && label(node) != alpha) {
                label(node) = alpha;
                changed = true;
            }
        return changed;
    }

    const std::vector<CellFrame> &frames_;
    Image<uint16_t> &labels_;
    Image<int> nodeAt_; ///< index in cells_, -1: settled or in no place
    std::vector<Cell> cells_;
    std::vector<float> costs_; ///< per cell, of each frame
};

} // namespace

float meritOf(const CellFrame &frame, int x, int y)
{
    if (frame.clips.row(0, y)[x] || frame.absent.row(0, y)[x])
        return 0.0f;
    const float light =
        std::max({frame.light.row(0, y)[x], frame.light.row(1, y)[x], frame.light.row(2, y)[x]}); // what it is seen by
    const float snr = light / std::sqrt(frame.pixelVariance(light));
    return snr < kDark ? 0.0f : std::min(1.0f, snr / kClean);
}

bool isDarkerThanClipped(const CellFrame &clipped, const CellFrame &other, int x, int y)
{
    for (int c = 0; c < clipped.light.planes(); ++c) {
        const float least = clipped.light.row(c, y)[x], light = other.light.row(c, y)[x];
        if (light + kSigmas * cellNoise(clipped, other, least, light) < kDarker * least)
            return true;
    }
    return false;
}

bool decides(const PlaceKeeper &keeper, const std::vector<CellFrame> &frames, int x, int y)
{
    const CellFrame &frame = frames[keeper.frame];
    if (keeper.removes || frame.absent.row(0, y)[x])
        return false;
    return keeper.whatever ||
           (keeper.isChosen ? !frame.clips.row(0, y)[x] || frame.clipsInPart(x, y) : meritOf(frame, x, y) > 0.0f);
}

Image<uint16_t> standingFrames(const std::vector<CellFrame> &frames, const Places &places,
                               std::span<const PlaceKeeper> keepers, const Image<uint16_t> &instead,
                               CloseComparisons &close, ExecContext &ctx)
{
    Image<uint16_t> labels(places.of.width(), places.of.height(), 1);
    OpenCells open(frames, places, keepers, instead, labels);
    if (open.empty())
        return labels;
    open.setCosts(close, ctx);
    open.settle(ctx);
    return labels;
}

} // namespace yolk
