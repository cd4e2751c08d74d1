#include "align/pair_level_p.h"

#include "base/vectorise.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <vector>

namespace yolk {
namespace {

using Float4 = float __attribute__((vector_size(16)));

/// Logarithm to base 2 of a positive value, within 1e-6: 2 atanh((m - r) / (m + r)) for a mantissa m, r = sqrt(2).
YOLK_INLINE float quickLog2(float value)
{
    const int32_t bits = std::bit_cast<int32_t>(value);
    const float mantissa = std::bit_cast<float>((bits & 0x007fffff) | 0x3f800000);
    constexpr float kRoot = 1.41421356f, kTwoOverLn2 = 2.88539008f;
    const float s = (mantissa - kRoot) / (mantissa + kRoot), q = s * s;
    return float((bits >> 23) - 127) + 0.5f +
           kTwoOverLn2 * s * (1.0f + q * (1.0f / 3.0f + q * (1.0f / 5.0f + q * (1.0f / 7.0f))));
}

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

/// 1 where all within `radius` are.
Image<uint8_t> eroded(const Image<uint8_t> &in, int radius, ExecContext &ctx)
{
    const int width = in.width(), height = in.height();
    Image<uint8_t> out(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<uint8_t> row(static_cast<size_t>(width));
        for (int y = y0; y < y1; ++y) {
            if (y < radius || y >= height - radius)
                continue; // what lies at the rim is not smoothed like the rest
            std::copy_n(in.row(0, y), width, row.begin());
            for (int v = y - radius; v <= y + radius; ++v)
                for (int x = 0; x < width; ++x)
                    row[size_t(x)] &= in.row(0, v)[x];
            uint8_t *to = out.row(0, y);
            std::copy(row.begin(), row.end(), to);
            for (int s = 1; s <= radius; ++s) {
                for (int x = s; x < width; ++x)
                    to[x] &= row[size_t(x - s)];
                for (int x = 0; x + s < width; ++x)
                    to[x] &= row[size_t(x + s)];
            }
            std::fill_n(to, radius, uint8_t(0));
            std::fill_n(to + width - radius, radius, uint8_t(0));
        }
    });
    return out;
}

/// log2(light + offset), smoothed: noise then counts the same in the dark and in the light.
Image<float> toneOf(const GuideLevel &level, float offset, ExecContext &ctx)
{
    const int width = level.light.width(), height = level.light.height();
    Image<float> out(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        Image<float> logs(width, y1 - y0 + 4, 1);
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
            values_[size_t(i)] =
                float(1.0 / ((a.variance(light, level) + b.variance(light, level)) * kSmoothing * stops * stops +
                             kUnexplained * kUnexplained));
        }
    }
    float operator()(float log) const
    {
        return values_[size_t(std::clamp(int((log - float(kFrom)) * float(kPerStop)), 0, kCount - 1))];
    }

private:
    static constexpr double kFrom = -40.0, kPerStop = 8.0;
    static constexpr int kCount = 640;
    std::array<float, kCount> values_{};
};

/// Weighted sums over a block: n pixels, template t, residual r, gradient g.
struct Sums {
    float n = 0, w = 0, t = 0, tt = 0, r = 0, rr = 0, gx = 0, gy = 0, gxx = 0, gxy = 0, gyy = 0, gxr = 0, gyr = 0;
    double covered = 0; ///< pixels that the other frame shows at all
};

YOLK_INLINE Float4 cubicWeights(float t) // Catmull-Rom
{
    constexpr Float4 k0{0, 1, 0, 0}, k1{-0.5f, 0, 0.5f, 0}, k2{1, -2.5f, 2, -0.5f}, k3{-0.5f, 1.5f, -1.5f, 0.5f};
    return k0 + t * (k1 + t * (k2 + t * k3));
}

/// The transform near a block's middle, as a linear function.
struct LocalMap {
    float x, y, xx, xy, yx, yy;
};

YOLK_MULTIVERSION
void sumBlock(const float *still, const float *gradientX, const float *gradientY, const float *weight, ptrdiff_t stride,
              int columns, int rows, const LocalMap &map, const float *moving, const uint8_t *movingValid,
              ptrdiff_t movingStride, ptrdiff_t validStride, int movingWidth, int movingHeight, Sums &out)
{
    Float4 s[4] = {}; // the thirteen sums
    int covered = 0;
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const float dx = float(x) - 0.5f * (kBlock - 1), dy = float(y) - 0.5f * (kBlock - 1);
            const float u = map.x + map.xx * dx + map.xy * dy, v = map.y + map.yx * dx + map.yy * dy;
            const int iu = int(u), iv = int(v); // towards 0; outside is sorted out next
            if (!(u >= 2.0f && v >= 2.0f && iu < movingWidth - 3 && iv < movingHeight - 3))
                continue;
            ++covered;
            const ptrdiff_t at = y * stride + x;
            const float w = weight[at];
            if (!(w > 0.0f) || !movingValid[ptrdiff_t(int(v + 0.5f)) * validStride + int(u + 0.5f)])
                continue;
            const Float4 wx = cubicWeights(u - float(iu)), wy = cubicWeights(v - float(iv));
            const float *from = moving + ptrdiff_t(iv - 1) * movingStride + iu - 1;
            Float4 line{};
            for (int j = 0; j < 4; ++j) {
                Float4 taps;
                std::memcpy(&taps, from + j * movingStride, sizeof taps);
                line += taps * wy[j];
            }
            line *= wx;
            const float t = still[at], r = t - ((line[0] + line[1]) + (line[2] + line[3]));
            const float gx = gradientX[at], gy = gradientY[at];
            const Float4 a{1.0f, w, w * t, w * t * t}, b{w * r, w * r * r, w * gx, w * gy},
                c{w * gx * gx, w * gx * gy, w * gy * gy, w * gx * r};
            s[0] += a;
            s[1] += b;
            s[2] += c;
            s[3][0] += w * gy * r;
        }
    out = {s[0][0], s[0][1], s[0][2], s[0][3], s[1][0], s[1][1], s[1][2],
           s[1][3], s[2][0], s[2][1], s[2][2], s[2][3], s[3][0], double(covered)};
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
    out.still = toneOf(a, offset, ctx);
    out.moving = toneOf(b, offset, ctx);
    constexpr int kSmoothed = 2, kDerived = 1, kInterpolated = 2;
    const Image<uint8_t> valid = eroded(a.valid, kSmoothed + kDerived, ctx);
    out.movingValid = eroded(b.valid, kSmoothed + kInterpolated, ctx);
    const int width = a.light.width(), height = a.light.height();
    for (Image<float> *image : {&out.gradientX, &out.gradientY, &out.weight})
        *image = Image<float>(width, height, 1);
    const Weights weights(still, moving, level, offset);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = std::max(1, y0); y < std::min(height - 1, y1); ++y) {
            const float *row = out.still.row(0, y), *up = out.still.row(0, y - 1), *down = out.still.row(0, y + 1);
            for (int x = 1; x < width - 1; ++x) {
                out.gradientX.row(0, y)[x] = 0.5f * (row[x + 1] - row[x - 1]);
                out.gradientY.row(0, y)[x] = 0.5f * (down[x] - up[x]);
            }
            for (int x = 0; x < width; ++x)
                out.weight.row(0, y)[x] = valid.row(0, y)[x] ? weights(row[x]) : 0.0f;
        }
    });
    return out;
}

Block lookAt(const PairLevel &pair, const Block &b, const Transform &t)
{
    // At the middle between pixels (7.5, 7.5) of the block, in indices: half less than coordinates.
    const Point o = t(b.at), px = t({b.at.x + 1, b.at.y}), py = t({b.at.x, b.at.y + 1});
    const LocalMap map{float(o.x - 0.5),  float(o.y - 0.5),  float(px.x - o.x),
                       float(py.x - o.x), float(px.y - o.y), float(py.y - o.y)};
    const int columns = std::min(kBlock, pair.still.width() - b.x), rows = std::min(kBlock, pair.still.height() - b.y);
    Sums sums;
    sumBlock(pair.still.row(0, b.y) + b.x, pair.gradientX.row(0, b.y) + b.x, pair.gradientY.row(0, b.y) + b.x,
             pair.weight.row(0, b.y) + b.x, pair.still.view().rowStride(), columns, rows, map, pair.moving.row(0, 0),
             pair.movingValid.row(0, 0), pair.moving.view().rowStride(), pair.movingValid.view().rowStride(),
             pair.moving.width(), pair.moving.height(), sums);
    return seen(b, sums);
}

} // namespace yolk
