#include "align/pair_level_p.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <vector>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void logRow(const float *light, int width, float offset, float least, float *out)
{
    for (int x = 0; x < width; ++x) {
        const float v = light[x] + offset;
        out[x] = quickLog2(v > least ? v : least);
    }
}

/// Binomial 1 4 6 4 1 of five rows, then along the row. `work` has room for width values.
YOLK_MULTIVERSION
void smoothRow(const float *a, const float *b, const float *c, const float *d, const float *e, int width, float *work,
               float *out)
{
    constexpr float k = 1.0f / 16.0f;
    for (int x = 0; x < width; ++x)
        work[x] = k * (a[x] + e[x] + 4.0f * (b[x] + d[x]) + 6.0f * c[x]);
    for (int x = 2; x < width - 2; ++x)
        out[x] = k * (work[x - 2] + work[x + 2] + 4.0f * (work[x - 1] + work[x + 1]) + 6.0f * work[x]);
    for (const int x : {0, 1, width - 2, width - 1})
        out[x] = work[x];
}

/// 1 where all within `radius` are; 0 at the rim, which is not smoothed like the rest.
Image<uint8_t> eroded(const Image<uint8_t> &in, int radius)
{
    Image<uint8_t> out(in.shape());
    const cv::Rect inner(radius, radius, in.width() - 2 * radius, in.height() - 2 * radius);
    if (inner.width <= 0 || inner.height <= 0)
        return out;
    const cv::Mat square = cv::Mat::ones(2 * radius + 1, 2 * radius + 1, CV_8U);
    cv::Mat to = matOf(out.view())(inner);
    cv::erode(matOf(in)(inner), to, square); // an inner part reads what lies round it
    return out;
}

/// log2(light + offset), smoothed: noise then counts the same in the dark and in the light.
Image<float> toneOf(const GuideLevel &level, float offset, ExecContext &ctx)
{
    const int width = level.light.width(), height = level.light.height();
    Image<float> out({width, height, 1}, Fill::Anything);
    forEachBand(ctx, height, [&](int y0, int y1) {
        Image<float> logs({width, y1 - y0 + 4, 1}, Fill::Anything);
        std::vector<float> work(static_cast<size_t>(width));
        for (int y = y0 - 2; y < y1 + 2; ++y)
            logRow(level.light.row(0, std::clamp(y, 0, height - 1)), width, offset, 0.25f * offset,
                   logs.row(0, y - y0 + 2));
        for (int y = y0; y < y1; ++y) {
            const int i = y - y0;
            smoothRow(logs.row(0, i), logs.row(0, i + 1), logs.row(0, i + 2), logs.row(0, i + 3), logs.row(0, i + 4),
                      width, work.data(), out.row(0, y));
        }
    });
    return out;
}

/// One over the variance of a difference of two smoothed logarithms, by the logarithm.
class Weights {
public:
    Weights(const Guide &a, const Guide &b, int level, float offset)
    {
        constexpr double kSmoothing = 0.273 * 0.273; // what is left of a variance: sum of squares of 1 4 6 4 1 / 16
        constexpr double kUnexplained = 0.02;        // sampling, response: stops
        for (int i = 0; i < kCount; ++i) {
            const double sum = std::exp2(kFrom + i / kPerStop), light = std::max(0.0, sum - double(offset));
            const double stops = 1.0 / (sum * 0.6931);
            values_[i] =
                float(1.0 / ((a.variance(light, level) + b.variance(light, level)) * kSmoothing * stops * stops +
                             kUnexplained * kUnexplained));
        }
    }
    YOLK_INLINE float operator()(float log) const
    {
        const float place = (log - float(kFrom)) * float(kPerStop), inside = place > 0.0f ? place : 0.0f;
        return values_[int(inside < float(kCount - 1) ? inside : float(kCount - 1))];
    }

private:
    static constexpr double kFrom = -40.0, kPerStop = 8.0;
    static constexpr int kCount = 640;
    float values_[kCount] = {};
};

/// A row of tones in the tiles under it, from the second value to the last but one; `tile` is the first one's.
YOLK_MULTIVERSION
void tileRow(const float *up, const float *row, const float *down, const uint8_t *holds, int width, int rowOfTile,
             const Weights &weights, Tile *tile)
{
    for (int left = 0; left < width; left += kBlock, ++tile) {
        const int first = std::max(1, left), count = std::min(width - 1, left + kBlock) - first;
        const size_t at = size_t(rowOfTile * kBlock + first - left);
        float *value = &tile->value[at], *gradientX = &tile->gradientX[at], *gradientY = &tile->gradientY[at],
              *weight = &tile->weight[at];
        const float *here = row + first, *above = up + first, *below = down + first;
        const uint8_t *counts = holds + first;
#pragma GCC ivdep
        for (int i = 0; i < count; ++i) {
            value[i] = here[i];
            gradientX[i] = 0.5f * (here[i + 1] - here[i - 1]);
            gradientY[i] = 0.5f * (below[i] - above[i]);
            const float full = weights(here[i]);
            weight[i] = counts[i] ? full : 0.0f;
        }
    }
}

/// Weighted sums over a block: n pixels, template t, residual r, gradient g.
struct Sums {
    float n = 0, w = 0, t = 0, tt = 0, r = 0, rr = 0, gx = 0, gy = 0, gxx = 0, gxy = 0, gyy = 0, gxr = 0, gyr = 0;
    double covered = 0; ///< pixels that the other frame shows at all
};

/// Catmull-Rom, of the four pixels around a place that lies `t` behind the second.
YOLK_INLINE void cubicWeights(Float8 t, Float8 out[4])
{
    out[0] = t * (-0.5f + t * (1.0f - 0.5f * t));
    out[1] = 1.0f + t * t * (1.5f * t - 2.5f);
    out[2] = t * (0.5f + t * (2.0f - 1.5f * t));
    out[3] = t * t * (0.5f * t - 0.5f);
}

/// The values of a picture at eight places, by cubic interpolation; `corner` counts from its first pixel to the upper
/// left of the four by four around each.
YOLK_INLINE Float8 valuesAt(const float *picture, ptrdiff_t stride, Int8 corner, Float8 right, Float8 down)
{
    Float8 across[4], along[4];
    cubicWeights(right, across);
    cubicWeights(down, along);
    alignas(32) float factor[4][8], columns[8][4];
    std::memcpy(factor, along, sizeof factor);
    for (int i = 0; i < 8; ++i) {
        const float *from = picture + corner[i];
        Float4 line{};
        for (int j = 0; j < 4; ++j)
            line += loaded<Float4>(from + j * stride) * factor[j][i];
        store(line, columns[i]);
    }
    Float8 out{};
    for (int k = 0; k < 4; ++k)
        out += across[k] * Float8{columns[0][k], columns[1][k], columns[2][k], columns[3][k],
                                  columns[4][k], columns[5][k], columns[6][k], columns[7][k]};
    return out;
}

YOLK_INLINE float total(Float8 v)
{
    return ((v[0] + v[1]) + (v[2] + v[3])) + ((v[4] + v[5]) + (v[6] + v[7]));
}

/// The transform near a block's middle, as a linear function.
struct LocalMap {
    float x, y, xx, xy, yx, yy;
};

YOLK_MULTIVERSION
void sumBlock(const Tile &tile, int columns, int rows, const LocalMap &map, const float *moving,
              const uint8_t *movingValid, ptrdiff_t movingStride, ptrdiff_t validStride, int movingWidth,
              int movingHeight, Sums &out)
{
    Float8 n{}, sw{}, st{}, stt{}, sr{}, srr{}, sx{}, sy{}, sxx{}, sxy{}, syy{}, sxr{}, syr{};
    Int8 covered{};
    constexpr Float8 kLanes{0, 1, 2, 3, 4, 5, 6, 7};
    const float right = float(movingWidth - 3), bottom = float(movingHeight - 3);
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; x += 8) {
            const Float8 dx = kLanes + (float(x) - 0.5f * (kBlock - 1));
            const float dy = float(y) - 0.5f * (kBlock - 1);
            Float8 u = map.x + map.xx * dx + map.xy * dy, v = map.y + map.yx * dx + map.yy * dy;
            const Int8 inside = (kLanes < float(columns - x)) & (u >= 2.0f) & (v >= 2.0f) & (u < right) & (v < bottom);
            covered -= inside;
            u = inside ? u : Float8{} + 2.0f; // somewhere within; it does not count
            v = inside ? v : Float8{} + 2.0f;
            const Int8 iu = __builtin_convertvector(u, Int8), iv = __builtin_convertvector(v, Int8);
            const Int8 nearest =
                __builtin_convertvector(v + 0.5f, Int8) * int(validStride) + __builtin_convertvector(u + 0.5f, Int8);
            Int8 valid;
            for (int i = 0; i < 8; ++i)
                valid[i] = -int(movingValid[nearest[i]] != 0);
            const int at = y * kBlock + x;
            Float8 W = loaded(tile.weight.data() + at);
            const Float8 T = loaded(tile.value.data() + at), X = loaded(tile.gradientX.data() + at),
                         Y = loaded(tile.gradientY.data() + at);
            const Int8 counts = inside & valid & (W > 0.0f);
            W = counts ? W : Float8{};
            const Float8 R =
                T - valuesAt(moving, movingStride, (iv - 1) * int(movingStride) + iu - 1,
                             u - __builtin_convertvector(iu, Float8), v - __builtin_convertvector(iv, Float8));
            const Float8 wT = W * T, wR = W * R, wX = W * X, wY = W * Y;
            n += counts ? Float8{} + 1.0f : Float8{};
            sw += W;
            st += wT;
            stt += wT * T;
            sr += wR;
            srr += wR * R;
            sx += wX;
            sy += wY;
            sxx += wX * X;
            sxy += wX * Y;
            syy += wY * Y;
            sxr += wX * R;
            syr += wY * R;
        }
    int count = 0;
    for (int i = 0; i < 8; ++i)
        count += covered[i];
    out = {total(n),  total(sw),  total(st),  total(stt), total(sr),  total(srr), total(sx),
           total(sy), total(sxx), total(sxy), total(syy), total(sxr), total(syr), double(count)};
}

Block seen(const Block &place, const Sums &s)
{
    Block b = place;
    b.n = double(s.n);
    b.covered = s.covered;
    if (s.n < kBlock * kBlock / 4 || !(s.w > 0.0f)) {
        b.n = 0;
        return b;
    }
    const double w = 1.0 / double(s.w), gx = double(s.gx), gy = double(s.gy), r = double(s.r), t = double(s.t);
    b.xx = std::max(0.0, double(s.gxx) - gx * gx * w);
    b.yy = std::max(0.0, double(s.gyy) - gy * gy * w);
    b.xy = double(s.gxy) - gx * gy * w;
    b.bx = double(s.gxr) - gx * r * w;
    b.by = double(s.gyr) - gy * r * w;
    b.texture = std::max(0.0, double(s.tt) - t * t * w);
    b.difference = std::max(0.0, double(s.rr) - r * r * w);
    return b;
}

} // namespace

PairLevel pairLevel(const Guide &still, const Guide &moving, int level, ExecContext &ctx)
{
    const GuideLevel &a = still.levels[size_t(level)], &b = moving.levels[size_t(level)];
    const float offset =
        float(4.0 * std::sqrt(std::max({still.variance(0.0, level), moving.variance(0.0, level), 1e-24})));
    PairLevel out;
    const Image<float> tone = toneOf(a, offset, ctx);
    out.moving = toneOf(b, offset, ctx);
    constexpr int kSmoothed = 2, kDerived = 1, kInterpolated = 2;
    const Image<uint8_t> valid = eroded(a.valid, kSmoothed + kDerived);
    out.movingValid = eroded(b.valid, kSmoothed + kInterpolated);
    const int width = out.width = tone.width(), height = out.height = tone.height();
    out.columns = (width + kBlock - 1) / kBlock;
    out.tiles.resize(size_t(out.columns) * size_t((height + kBlock - 1) / kBlock));
    const Weights weights(still, moving, level, offset);
    static_assert(kBandRows % kBlock == 0);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = std::max(1, y0); y < std::min(height - 1, y1); ++y)
            tileRow(tone.row(0, y - 1), tone.row(0, y), tone.row(0, y + 1), valid.row(0, y), width, y % kBlock, weights,
                    &out.tiles[out.indexOf(0, y)]);
    });
    return out;
}

Block lookAt(const PairLevel &pair, const Block &b, const Transform &t)
{
    // At the middle between pixels (7.5, 7.5) of the block, in indices: half less than coordinates.
    const Point o = t(b.at), px = t({b.at.x + 1, b.at.y}), py = t({b.at.x, b.at.y + 1});
    const LocalMap map{float(o.x - 0.5),  float(o.y - 0.5),  float(px.x - o.x),
                       float(py.x - o.x), float(px.y - o.y), float(py.y - o.y)};
    Sums sums;
    sumBlock(pair.tiles[pair.indexOf(b.x, b.y)], std::min(kBlock, pair.width - b.x),
             std::min(kBlock, pair.height - b.y), map, pair.moving.row(0, 0), pair.movingValid.row(0, 0),
             pair.moving.view().rowStride(), pair.movingValid.view().rowStride(), pair.moving.width(),
             pair.moving.height(), sums);
    return seen(b, sums);
}

} // namespace yolk
