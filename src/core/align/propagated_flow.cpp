#include "align/propagated_flow.h"

#include "base/vectorise.h"
#include "image/copy.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <vector>

namespace yolk {
namespace {

constexpr int kAround = 2, kWindow = 2 * kAround + 1;  // pixels round a pixel that are compared
constexpr int kTile = 28, kSide = kTile + 2 * kAround; // of what is decided at once; of what is compared for it
constexpr float kMostApart = 0.5f;                     // of a factor e: worse is all the same
static_assert(kSide % 8 == 0);

/// A plane that loops read at places of their own. The lowest bit of a value says whether it is known: one read less.
struct CodedPlane {
    Image<float> values;

    CodedPlane(ImageView<const float> light, ImageView<const uint8_t> known) : values(light.shape(), Fill::Anything)
    {
        for (int y = 0; y < light.height(); ++y)
            for (int x = 0; x < light.width(); ++x)
                values.row(0, y)[x] = std::bit_cast<float>((std::bit_cast<uint32_t>(light.row(0, y)[x]) & ~1u) |
                                                           (known.row(0, y)[x] ? 1u : 0u));
    }
};

/// The values at eight places, and those to the right of them.
YOLK_INLINE void readPairs(const float *from, Int8 at, Float8 &here, Float8 &right)
{
    using Pairs = double __attribute__((vector_size(32)));
    const auto pair = [&](int k) {
        double out;
        std::memcpy(&out, from + at[k], sizeof out);
        return out;
    };
    const Float8 low = std::bit_cast<Float8>(Pairs{pair(0), pair(1), pair(4), pair(5)});
    const Float8 high = std::bit_cast<Float8>(Pairs{pair(2), pair(3), pair(6), pair(7)});
    here = __builtin_shufflevector(low, high, 0, 2, 8, 10, 4, 6, 12, 14);
    right = __builtin_shufflevector(low, high, 1, 3, 9, 11, 5, 7, 13, 15);
}

/// kSide pixels of one row: how far `still` lies from what (`toX`, `toY`) away is seen, and 1 where both are known, else
/// 0 and 0. Returns whether all are known.
YOLK_MULTIVERSION
bool compareRow(const float *plane, int stride, int width, int height, float firstX, float y, const float *toX,
                const float *toY, const float *still, const float *stillKnown, float *__restrict apart,
                float *__restrict known)
{
    constexpr Float8 kLanes{0, 1, 2, 3, 4, 5, 6, 7};
    const float mostX = float(width - 1), mostY = float(height - 1);
    Float8 fewest = Float8{} + 1.0f;
    for (int i = 0; i < kSide; i += 8) {
        const Float8 px = loaded(toX + i) + (kLanes + (firstX + float(i))), py = loaded(toY + i) + y;
        const Int8 inside = (px >= 0.0f) & (py >= 0.0f) & (px <= mostX) & (py <= mostY);
        const Float8 u = inside ? px : Float8{}, v = inside ? py : Float8{};
        Int8 left = __builtin_convertvector(u, Int8), top = __builtin_convertvector(v, Int8);
        left = left < width - 2 ? left : Int8{} + (width - 2);
        top = top < height - 2 ? top : Int8{} + (height - 2);
        const Float8 right = u - __builtin_convertvector(left, Float8), down = v - __builtin_convertvector(top, Float8);
        const Int8 at = top * stride + left;
        Float8 a, b, c, d;
        readPairs(plane, at, a, b);
        readPairs(plane + stride, at, c, d);
        const Float8 upper = a + right * (b - a), lower = c + right * (d - c);
        const Float8 difference = loaded(still + i) - (upper + down * (lower - upper));
        const Float8 off = most(difference, -difference);
        const Float8 nearest = down > 0.5f ? (right > 0.5f ? d : c) : (right > 0.5f ? b : a);
        const Int8 isKnown = (std::bit_cast<Int8>(nearest) & 1) & inside;
        const Float8 both = loaded(stillKnown + i) * __builtin_convertvector(isKnown, Float8);
        store(both > 0.0f ? least(off, Float8{} + kMostApart) : Float8{}, apart + i);
        store(both, known + i);
        fewest = least(fewest, both);
    }
    float out = 1.0f;
    for (int k = 0; k < 8; ++k)
        out = std::min(out, fewest[k]);
    return out > 0.0f;
}

/// out = the sums of kWindow rows of kTile values, `stride` apart.
YOLK_MULTIVERSION
void sumWindows(const float *__restrict from, int stride, float *__restrict out)
{
    for (int i = 0; i < kTile; ++i)
        out[i] = from[i];
    for (int row = 1; row < kWindow; ++row)
        for (int i = 0; i < kTile; ++i)
            out[i] += from[row * stride + i];
}

YOLK_MULTIVERSION
bool isAnyBelow(const float *__restrict values, const float *__restrict limits, int count)
{
    int any = 0;
    for (int i = 0; i < count; ++i)
        any |= values[i] < limits[i];
    return any != 0;
}

/// How badly displacements explain the pixels of a tile.
class TileCost {
public:
    TileCost(const FlowSides &sides, const CodedPlane &moving, int x0, int y0)
        : moving_(moving.values.view()), x0_(x0), y0_(y0)
    {
        for (int v = 0; v < kSide; ++v)
            for (int u = 0; u < kSide; ++u) {
                const int x = x0_ + u - kAround, y = y0_ + v - kAround;
                const bool inside = x >= 0 && y >= 0 && x < moving_.width() && y < moving_.height();
                still_[v][u] = inside ? sides.still.row(0, y)[x] : 0.0f;
                stillKnown_[v][u] = inside && sides.stillKnown.row(0, y)[x] ? 1.0f : 0.0f;
            }
    }

    using Row = float[kTile];
    /// Of the flow as it lies `dx`, `dy` away: means of what is known around each pixel.
    const Row *of(ImageView<const float> flow, int dx, int dy)
    {
        bool isAllKnown = true;
        for (int v = 0; v < kSide; ++v) {
            const int y = y0_ + v - kAround, fromY = std::clamp(y + dy, 0, moving_.height() - 1);
            const int from = x0_ - kAround + dx;
            const bool isInside = from >= 0 && from + kSide <= moving_.width();
            float clamped[2][kSide];
            const float *to[2];
            for (int k = 0; k < 2; ++k) {
                const float *const row = flow.row(k, fromY);
                for (int u = 0; !isInside && u < kSide; ++u)
                    clamped[k][u] = row[std::clamp(from + u, 0, moving_.width() - 1)];
                to[k] = isInside ? row + from : clamped[k];
            }
            isAllKnown &= compareRow(moving_.row(0, 0), int(moving_.rowStride()), moving_.width(), moving_.height(),
                                     float(x0_ - kAround), float(y), to[0], to[1], still_[v], stillKnown_[v], apart_[v],
                                     known_[v]);
            sumWindows(apart_[v], 1, acrossApart_[v]);
        }
        constexpr float kAll = kWindow * kWindow, kFewest = 0.4f * kAll; // pixels: else nobody can tell
        for (int v = 0; v < kSide && !isAllKnown; ++v)
            sumWindows(known_[v], 1, acrossKnown_[v]);
        Row known;
        std::fill_n(known, kTile, kAll);
        for (int v = 0; v < kTile; ++v) {
            sumWindows(acrossApart_[v], kTile, cost_[v]);
            if (!isAllKnown)
                sumWindows(acrossKnown_[v], kTile, known);
            for (int u = 0; u < kTile; ++u)
                cost_[v][u] = known[u] < kFewest ? kMostApart : cost_[v][u] / known[u];
        }
        return cost_;
    }

private:
    ImageView<const float> moving_;
    int x0_, y0_;
    float still_[kSide][kSide], stillKnown_[kSide][kSide], apart_[kSide][kSide], known_[kSide][kSide];
    Row acrossApart_[kSide], acrossKnown_[kSide], cost_[kTile];
};

/// What each pixel has found so far.
class FlowSearch {
public:
    FlowSearch(const FlowSides &sides, Image<float> &flow, ExecContext &ctx)
        : sides_(sides), flow_(flow), one_{flow.width(), flow.height(), 1}, ctx_(ctx.child({})),
          moving_(sides.moving, sides.movingKnown), columns_((one_.width + kTile - 1) / kTile),
          rows_((one_.height + kTile - 1) / kTile), isOpen_(size_t(columns_) * size_t(rows_)),
          limit_(one_, Fill::Anything), cost_(one_, Fill::Anything)
    {
        forEachTile([&](int x0, int y0, int x1, int y1, char &isOpen) {
            TileCost tile(sides_, moving_, x0, y0);
            const auto *now = tile.of(flow_.view(), 0, 0);
            for (int y = y0; y < y1; ++y)
                for (int x = x0; x < x1; ++x) { // where nobody can tell, nothing is better
                    const float so = now[y - y0][x - x0];
                    cost_.row(0, y)[x] = so < kMostApart ? so : 0.0f;
                    limit_.row(0, y)[x] = limitOf(cost_.row(0, y)[x], x, y);
                }
            isOpen = isAnyOpen(x0, y0, x1, y1);
        });
    }

    /// Looks at `from` all around each pixel, `far` away; 0: at the pixel itself.
    void take(const Image<float> &from, int far)
    {
        forEachTile([&](int x0, int y0, int x1, int y1, char &isOpen) {
            if (!isOpen)
                return;
            TileCost tile(sides_, moving_, x0, y0);
            bool isChanged = false;
            for (int dy = -far; dy <= far; dy += std::max(1, far))
                for (int dx = -far; dx <= far; dx += std::max(1, far))
                    if (far == 0 || dx != 0 || dy != 0)
                        isChanged |= takeBetter(tile.of(from.view(), dx, dy), from, dx, dy, x0, y0, x1, y1);
            isOpen = !isChanged || isAnyOpen(x0, y0, x1, y1);
        });
    }

private:
    static constexpr float kBetter = 0.9f, kAtLeast = 0.01f; // of what it was; of a factor e
    // A mean over a window of what was smoothed has some five independent values: noise makes it scatter by a third.
    static constexpr float kScatter = 0.33f;

    float noiseAt(int x, int y) const { return sides_.noise.shape().empty() ? 0.0f : sides_.noise.row(0, y)[x]; }
    /// What a cost must fall below to count as better than `cost`.
    float limitOf(float cost, int x, int y) const
    {
        return std::min(kBetter * cost, cost - std::max(kAtLeast, 2.0f * kScatter * noiseAt(x, y)));
    }
    bool isAnyOpen(int x0, int y0, int x1, int y1) const
    {
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x)
                if (cost_.row(0, y)[x] > std::max(2.0f * kAtLeast, (1.0f + 3.0f * kScatter) * noiseAt(x, y)))
                    return true;
        return false;
    }

    bool takeBetter(const TileCost::Row *costs, const Image<float> &from, int dx, int dy, int x0, int y0, int x1,
                    int y1)
    {
        bool isChanged = false;
        for (int y = y0; y < y1; ++y) {
            const float *const row = costs[y - y0];
            if (!isAnyBelow(row, limit_.row(0, y) + x0, x1 - x0))
                continue;
            isChanged = true;
            const int v = std::clamp(y + dy, 0, one_.height - 1);
            for (int x = x0; x < x1; ++x) {
                if (!(row[x - x0] < limit_.row(0, y)[x]))
                    continue;
                cost_.row(0, y)[x] = row[x - x0];
                limit_.row(0, y)[x] = limitOf(row[x - x0], x, y);
                for (int k = 0; k < 2; ++k)
                    flow_.row(k, y)[x] = from.row(k, v)[std::clamp(x + dx, 0, one_.width - 1)];
            }
        }
        return isChanged;
    }

    /// Calls visit(x0, y0, x1, y1, is open) for all tiles.
    template <class Visit> void forEachTile(Visit &&visit)
    {
        forEachPart(ctx_, rows_, [&](int row, ExecContext &) {
            const int y0 = row * kTile, y1 = std::min(one_.height, y0 + kTile);
            for (int column = 0; column < columns_; ++column) {
                const int x0 = column * kTile;
                visit(x0, y0, std::min(one_.width, x0 + kTile), y1,
                      isOpen_[size_t(row) * size_t(columns_) + size_t(column)]);
            }
        });
    }

    const FlowSides &sides_;
    Image<float> &flow_;
    Shape one_;
    ExecContext ctx_;
    CodedPlane moving_;
    int columns_, rows_;       // of tiles
    std::vector<char> isOpen_; // tiles in which something is not explained
    Image<float> limit_, cost_;
};

} // namespace

void propagateFlow(const FlowSides &sides, std::span<const Image<float>> offered, std::span<const int> reaches,
                   Image<float> &flow, ExecContext &ctx)
{
    const Shape one{flow.width(), flow.height(), 1};
    if (one.empty() || flow.planes() != 2 || sides.still.shape() != one || sides.stillKnown.shape() != one ||
        sides.moving.shape() != one || sides.movingKnown.shape() != one ||
        (!sides.noise.shape().empty() && sides.noise.shape() != one) ||
        std::ranges::any_of(offered, [&](const Image<float> &o) { return o.shape() != flow.shape(); }))
        throw ArgumentError("flow and what it leads between must be of one size");
    if (std::min(one.width, one.height) < 2)
        return; // too few pixels lie around to tell
    FlowSearch search(sides, flow, ctx);
    for (const Image<float> &other : offered)
        search.take(other, 0);
    for (const int far : reaches) {
        ctx.throwIfStopped();
        search.take(copyOf(flow), far);
    }
    for (int k = 0; k < 2; ++k) { // single pixels know nothing
        cv::Mat plane = matOf(flow, k);
        cv::medianBlur(plane.clone(), plane, 5);
    }
}

} // namespace yolk
