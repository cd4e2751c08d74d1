#include "align/flow.h"

#include "align/bilateral_grid_p.h"
#include "base/vectorise.h"
#include "image/copy.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kAround = 2, kTile = 32; // pixels round a pixel that are compared; a side of what is decided at once
constexpr float kMostApart = 0.5f;     // of a factor e: worse is all the same

/// Planes that loops read at places of their own: `known` is 1 or 0 there.
struct SampledSide {
    const float *light, *known;
    ptrdiff_t lightStride, knownStride; ///< floats
    int width, height;
};

/// How far `still` lies from what (`toX`, `toY`) away is seen, and 1 where both are known, else 0 and 0.
YOLK_MULTIVERSION
void compareRow(const SampledSide &seen, float y, const float *__restrict x, const float *__restrict toX,
                const float *__restrict toY, const float *__restrict still, const float *__restrict stillKnown,
                int count, float *__restrict apart, float *__restrict known)
{
    const float mostX = float(seen.width - 1), mostY = float(seen.height - 1);
    const int lastX = std::max(0, seen.width - 2), lastY = std::max(0, seen.height - 2);
    const int stride = int(seen.lightStride), knownStride = int(seen.knownStride);
    const int next = seen.width > 1 ? 1 : 0, below = seen.height > 1 ? stride : 0;
    const float *__restrict light = seen.light;
    const float *__restrict lightKnown = seen.known;
    for (int i = 0; i < count; ++i) {
        const float px = x[i] + toX[i], py = y + toY[i];
        const bool inside = (px >= 0.0f) & (py >= 0.0f) & (px <= mostX) & (py <= mostY);
        const float u = inside ? px : 0.0f, v = inside ? py : 0.0f;
        const int column = int(u), line = int(v);
        const int left = column < lastX ? column : lastX, top = line < lastY ? line : lastY;
        const float right = u - float(left), down = v - float(top);
        const int at = top * stride + left;
        const int nearest = (top + (down > 0.5f ? 1 : 0)) * knownStride + left + (right > 0.5f ? 1 : 0);
        const float a = light[at], b = light[at + next], c = light[at + below], d = light[at + below + next];
        const float upper = a + right * (b - a), lower = c + right * (d - c);
        const float off = std::abs(still[i] - (upper + down * (lower - upper)));
        const float both = stillKnown[i] * lightKnown[nearest] * (inside ? 1.0f : 0.0f);
        apart[i] = both > 0.0f ? (off < kMostApart ? off : kMostApart) : 0.0f;
        known[i] = both;
    }
}

/// out = the sum of `rows` rows of `count` values, `stride` apart.
YOLK_MULTIVERSION
void sumRows(const float *__restrict from, ptrdiff_t stride, int rows, int count, float *__restrict out)
{
    for (int i = 0; i < count; ++i)
        out[i] = from[i];
    for (int row = 1; row < rows; ++row)
        for (int i = 0; i < count; ++i)
            out[i] += from[row * stride + i];
}

/// How badly displacements explain the pixels of a tile.
class TileCost {
public:
    TileCost(const FlowSides &sides, const SampledSide &seen, int x0, int y0) : seen_(seen), x0_(x0), y0_(y0)
    {
        for (int v = 0; v < kSide; ++v)
            for (int u = 0; u < kSide; ++u) {
                const int x = x0_ + u - kAround, y = y0_ + v - kAround;
                const bool inside = x >= 0 && y >= 0 && x < seen.width && y < seen.height;
                still_[v][u] = inside ? sides.still.row(0, y)[x] : 0.0f;
                stillKnown_[v][u] = inside && sides.stillKnown.row(0, y)[x] ? 1.0f : 0.0f;
                x_[u] = float(x);
            }
    }

    /// Of the flow as it lies `dx`, `dy` away; kTile x kTile means of what is known around.
    const float *of(ImageView<const float> flow, int dx, int dy)
    {
        for (int v = 0; v < kSide; ++v) {
            const int y = y0_ + v - kAround, fromY = std::clamp(y + dy, 0, seen_.height - 1);
            const int from = x0_ - kAround + dx;
            const bool isInside = from >= 0 && from + kSide <= seen_.width;
            float clamped[2][kSide];
            const float *to[2];
            for (int k = 0; k < 2; ++k) {
                const float *const row = flow.row(k, fromY);
                for (int u = 0; !isInside && u < kSide; ++u)
                    clamped[k][u] = row[std::clamp(from + u, 0, seen_.width - 1)];
                to[k] = isInside ? row + from : clamped[k];
            }
            compareRow(seen_, float(y), x_, to[0], to[1], still_[v], stillKnown_[v], kSide, apart_[v], known_[v]);
        }
        constexpr int kWindow = 2 * kAround + 1;
        constexpr float kFewest = 0.4f * kWindow * kWindow; // pixels: else nobody can tell
        for (int v = 0; v < kSide; ++v) {
            sumRows(apart_[v], 1, kWindow, kTile, acrossApart_[v]);
            sumRows(known_[v], 1, kWindow, kTile, acrossKnown_[v]);
        }
        for (int v = 0; v < kTile; ++v) {
            float apart[kTile], known[kTile];
            sumRows(acrossApart_[v], kTile, kWindow, kTile, apart);
            sumRows(acrossKnown_[v], kTile, kWindow, kTile, known);
            for (int u = 0; u < kTile; ++u)
                cost_[v][u] = known[u] < kFewest ? kMostApart : apart[u] / known[u];
        }
        return cost_[0];
    }

private:
    static constexpr int kSide = kTile + 2 * kAround;
    const SampledSide &seen_;
    int x0_, y0_;
    float x_[kSide], still_[kSide][kSide], stillKnown_[kSide][kSide], apart_[kSide][kSide], known_[kSide][kSide],
        acrossApart_[kSide][kTile], acrossKnown_[kSide][kTile], cost_[kTile][kTile];
};

} // namespace

void propagateFlow(const FlowSides &sides, Image<float> &flow, ExecContext &ctx)
{
    const Shape one{flow.width(), flow.height(), 1};
    if (one.empty() || flow.planes() != 2 || sides.still.shape() != one || sides.stillKnown.shape() != one ||
        sides.moving.shape() != one || sides.movingKnown.shape() != one ||
        (!sides.noise.shape().empty() && sides.noise.shape() != one))
        throw ArgumentError("flow and what it leads between must be of one size");
    constexpr float kBetter = 0.9f, kAtLeast = 0.01f; // of what it was; of a factor e
    // A mean over a window of what was smoothed has some five independent values: noise makes it scatter by a third.
    constexpr float kScatter = 0.33f;
    const std::vector<float> nothing(size_t(one.width), 0.0f);
    const auto noiseRow = [&](int y) { return sides.noise.shape().empty() ? nothing.data() : sides.noise.row(0, y); };
    const int rows = (one.height + kTile - 1) / kTile;
    Image<float> best(one, Fill::Anything), movingKnown(one, Fill::Anything);
    for (int y = 0; y < one.height; ++y)
        for (int x = 0; x < one.width; ++x)
            movingKnown.row(0, y)[x] = sides.movingKnown.row(0, y)[x] ? 1.0f : 0.0f;
    const SampledSide seen{sides.moving.row(0, 0),
                           movingKnown.row(0, 0),
                           sides.moving.rowStride(),
                           movingKnown.view().rowStride(),
                           one.width,
                           one.height};
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
        TileCost tile(sides, seen, x0, y0);
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
            bool isExplained = true;
            for (int y = y0; y < y1 && isExplained; ++y) {
                const float *const noise = noiseRow(y);
                for (int x = x0; x < x1; ++x)
                    isExplained &= best.row(0, y)[x] <= std::max(2.0f * kAtLeast, (1.0f + 3.0f * kScatter) * noise[x]);
            }
            if (isExplained)
                return;
            TileCost tile(sides, seen, x0, y0);
            for (int dy = -far; dy <= far; dy += far)
                for (int dx = -far; dx <= far; dx += far) {
                    if (dx == 0 && dy == 0)
                        continue;
                    const float *cost = tile.of(before.view(), dx, dy);
                    for (int y = y0; y < y1; ++y) {
                        const float *const noise = noiseRow(y);
                        for (int x = x0; x < x1; ++x) {
                            const float now = cost[(y - y0) * kTile + x - x0];
                            float &so = best.row(0, y)[x];
                            if (!(now < kBetter * so && now < so - std::max(kAtLeast, 2.0f * kScatter * noise[x])))
                                continue;
                            so = now;
                            const int u = std::clamp(x + dx, 0, one.width - 1),
                                      v = std::clamp(y + dy, 0, one.height - 1);
                            for (int k = 0; k < 2; ++k)
                                flow.row(k, y)[x] = before.row(k, v)[u];
                        }
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
