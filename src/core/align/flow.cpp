#include "align/flow.h"

#include "align/bilateral_grid_p.h"
#include "image/copy.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr int kAround = 2, kTile = 32; // pixels round a pixel that are compared; a side of what is decided at once
constexpr float kMostApart = 0.5f;     // of a factor e: worse is all the same

/// How badly displacements explain the pixels of a tile.
class TileCost {
public:
    TileCost(const FlowSides &sides, int x0, int y0) : sides_(sides), x0_(x0), y0_(y0) {}

    /// Of the flow as it lies `dx`, `dy` away; kTile x kTile means of what is known around.
    const float *of(ImageView<const float> flow, int dx, int dy)
    {
        const int width = flow.width(), height = flow.height();
        for (int v = 0; v < kSide; ++v) {
            const int y = y0_ + v - kAround, fromY = std::clamp(y + dy, 0, height - 1);
            for (int u = 0; u < kSide; ++u) {
                const int x = x0_ + u - kAround, fromX = std::clamp(x + dx, 0, width - 1);
                apart_[v][u] = known_[v][u] = 0.0f;
                if (x < 0 || y < 0 || x >= width || y >= height || !sides_.stillKnown.row(0, y)[x])
                    continue;
                const float px = float(x) + flow.row(0, fromY)[fromX], py = float(y) + flow.row(1, fromY)[fromX];
                if (!(px >= 0.0f && py >= 0.0f && px <= float(width - 1) && py <= float(height - 1)))
                    continue;
                const int left = std::min(int(px), std::max(0, width - 2)),
                          top = std::min(int(py), std::max(0, height - 2));
                const float right = px - float(left), down = py - float(top);
                if (!sides_.movingKnown.row(0, top + (down > 0.5f))[left + (right > 0.5f)])
                    continue;
                const float *above = sides_.moving.row(0, top) + left,
                            *below = sides_.moving.row(0, std::min(top + 1, height - 1)) + left;
                const int next = width > 1 ? 1 : 0;
                const float upper = above[0] + right * (above[next] - above[0]),
                            lower = below[0] + right * (below[next] - below[0]);
                const float moved = upper + down * (lower - upper);
                apart_[v][u] = std::min(kMostApart, std::abs(sides_.still.row(0, y)[x] - moved));
                known_[v][u] = 1.0f;
            }
        }
        constexpr int kWindow = 2 * kAround + 1;
        constexpr float kFewest = 0.4f * kWindow * kWindow; // pixels: else nobody can tell
        for (int v = 0; v < kSide; ++v)
            for (int u = 0; u < kTile; ++u) {
                float apart = 0.0f, known = 0.0f;
                for (int i = 0; i < kWindow; ++i) {
                    apart += apart_[v][u + i];
                    known += known_[v][u + i];
                }
                acrossApart_[v][u] = apart;
                acrossKnown_[v][u] = known;
            }
        for (int v = 0; v < kTile; ++v)
            for (int u = 0; u < kTile; ++u) {
                float apart = 0.0f, known = 0.0f;
                for (int i = 0; i < kWindow; ++i) {
                    apart += acrossApart_[v + i][u];
                    known += acrossKnown_[v + i][u];
                }
                cost_[v][u] = known < kFewest ? kMostApart : apart / known;
            }
        return cost_[0];
    }

private:
    static constexpr int kSide = kTile + 2 * kAround;
    const FlowSides &sides_;
    int x0_, y0_;
    float apart_[kSide][kSide], known_[kSide][kSide], acrossApart_[kSide][kTile], acrossKnown_[kSide][kTile],
        cost_[kTile][kTile];
};

} // namespace

void propagateFlow(const FlowSides &sides, Image<float> &flow, ExecContext &ctx)
{
    const Shape one{flow.width(), flow.height(), 1};
    if (one.empty() || flow.planes() != 2 || sides.still.shape() != one || sides.stillKnown.shape() != one ||
        sides.moving.shape() != one || sides.movingKnown.shape() != one)
        throw ArgumentError("flow and what it leads between must be of one size");
    constexpr float kBetter = 0.9f, kAtLeast = 0.01f; // of what it was; of a factor e
    const int rows = (one.height + kTile - 1) / kTile;
    Image<float> best(one, Fill::Anything);
    ExecContext own = ctx.child({});
    // Calls visit(x0, y0, x1, y1) for all tiles.
    const auto forEachTile = [&](auto &&visit) {
        forEachPart(own, rows, [&](int row, ExecContext &) {
            const int y0 = row * kTile, y1 = std::min(one.height, y0 + kTile);
            for (int x0 = 0; x0 < one.width; x0 += kTile)
                visit(x0, y0, std::min(one.width, x0 + kTile), y1);
        });
    };
    forEachTile([&](int x0, int y0, int x1, int y1) {
        TileCost tile(sides, x0, y0);
        const float *cost = tile.of(flow.view(), 0, 0);
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x) { // where nobody can tell, nothing is better
                const float now = cost[(y - y0) * kTile + x - x0];
                best.row(0, y)[x] = now < kMostApart ? now : 0.0f;
            }
    });
    for (const int far : {32, 16, 8, 4, 16, 8, 4, 2}) {
        ctx.throwIfStopped();
        const Image<float> before = copyOf(flow);
        forEachTile([&](int x0, int y0, int x1, int y1) {
            float worst = 0.0f;
            for (int y = y0; y < y1; ++y)
                worst = std::max(worst, *std::max_element(best.row(0, y) + x0, best.row(0, y) + x1));
            if (worst <= 2.0f * kAtLeast)
                return;
            TileCost tile(sides, x0, y0);
            for (int dy = -far; dy <= far; dy += far)
                for (int dx = -far; dx <= far; dx += far) {
                    if (dx == 0 && dy == 0)
                        continue;
                    const float *cost = tile.of(before.view(), dx, dy);
                    for (int y = y0; y < y1; ++y)
                        for (int x = x0; x < x1; ++x) {
                            const float now = cost[(y - y0) * kTile + x - x0];
                            float &so = best.row(0, y)[x];
                            if (!(now < kBetter * so && now < so - kAtLeast))
                                continue;
                            so = now;
                            const int u = std::clamp(x + dx, 0, one.width - 1),
                                      v = std::clamp(y + dy, 0, one.height - 1);
                            for (int k = 0; k < 2; ++k)
                                flow.row(k, y)[x] = before.row(k, v)[u];
                        }
                }
        });
    }
    for (int k = 0; k < 2; ++k) { // single pixels know nothing
        cv::Mat plane = matOf(flow, k);
        cv::medianBlur(plane.clone(), plane, 5);
    }
}

void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone)
{
    const Shape one{flow.width(), flow.height(), 1};
    if (one.empty() || flow.planes() != 2 || belief.shape() != one || tone.shape() != one)
        throw ArgumentError("flow, belief and tone must be of one size");
    BilateralGrid<3> grid(tone);
    for (int y = 0; y < one.height; ++y)
        for (int x = 0; x < one.width; ++x)
            if (const float w = belief.row(0, y)[x]; w > 0.0f)
                grid.add(x, y, {w, w * flow.row(0, y)[x], w * flow.row(1, y)[x]});
    constexpr float kEnough = 8.0f; // pixels believed in full
    grid.fill(kEnough);
    for (int y = 0; y < one.height; ++y)
        for (int x = 0; x < one.width; ++x) {
            const float known = belief.row(0, y)[x];
            if (known >= 1.0f)
                continue;
            const auto sums = grid.at(x, y);
            for (int k = 0; k < 2; ++k) {
                const float mean = sums[0] > 0.0f ? sums[size_t(k) + 1] / sums[0] : 0.0f;
                float &f = flow.row(k, y)[x];
                f = std::lerp(mean, f, known);
            }
        }
}

Image<float> flowCorrection(ImageView<const float> still, ImageView<const float> moved, ImageView<const uint8_t> valid,
                            ImageView<const float> tone)
{
    const Shape one = still.shape();
    if (one.empty() || one.planes != 1 || moved.shape() != one || valid.shape() != one || tone.shape() != one)
        throw ArgumentError("flow correction: the planes must be of one size");
    BilateralGrid<6> grid(tone);
    for (int y = 1; y + 1 < one.height; ++y)
        for (int x = 1; x + 1 < one.width; ++x) {
            if (!valid.row(0, y)[x])
                continue;
            const auto slope = [&](ImageView<const float> in, bool across) {
                return across ? 0.5f * (in.row(0, y)[x + 1] - in.row(0, y)[x - 1])
                              : 0.5f * (in.row(0, y + 1)[x] - in.row(0, y - 1)[x]);
            };
            const float gx = 0.5f * (slope(still, true) + slope(moved, true));
            const float gy = 0.5f * (slope(still, false) + slope(moved, false));
            const float r = still.row(0, y)[x] - moved.row(0, y)[x];
            constexpr float kUsual = 0.1f; // of a factor e
            const float w = 1.0f / (1.0f + r * r / (kUsual * kUsual));
            grid.add(x, y, {w, w * gx * gx, w * gx * gy, w * gy * gy, w * gx * r, w * gy * r});
        }
    constexpr float kEnough = 40.0f; // pixels
    grid.fill(kEnough);
    grid.forEachCell([](std::array<float, 6> &c) {
        constexpr float kFlat = 2e-4f; // squared slope below which nothing is known of motion
        const float xx = c[1] + kFlat * c[0], yy = c[3] + kFlat * c[0], det = xx * yy - c[2] * c[2];
        const float dx = det > 0.0f ? (yy * c[4] - c[2] * c[5]) / det : 0.0f;
        const float dy = det > 0.0f ? (xx * c[5] - c[2] * c[4]) / det : 0.0f;
        c = {1.0f, std::clamp(dx, -1.0f, 1.0f), std::clamp(dy, -1.0f, 1.0f), 0.0f, 0.0f, 0.0f};
    });
    Image<float> out(one.width, one.height, 2);
    for (int y = 0; y < one.height; ++y)
        for (int x = 0; x < one.width; ++x) {
            const auto cell = grid.at(x, y);
            out.row(0, y)[x] = cell[1];
            out.row(1, y)[x] = cell[2];
        }
    return out;
}

} // namespace yolk
