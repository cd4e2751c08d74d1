#include "merge/radiance_merge.h"

#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

namespace yolk {
namespace {

/// Constants of one frame, ready for the row loop.
struct Weighing {
    float exposure, inverse; // e, 1 / e
    float gain, read;        // of its noise model
    float low, slope;        // soft approach to clipping: s = 1 at low, 0 at low + 1 / slope
    float influence;
};

Weighing weighingOf(const Exposure &e)
{
    const double high = std::max(0.5, 1.0 - 4.0 * std::sqrt(e.noise.variance(1.0)));
    const double low = high * std::exp2(-0.1);
    return {float(e.exposure), float(1.0 / e.exposure),   float(e.noise.gain), float(e.noise.readVariance),
            float(low),        float(1.0 / (high - low)), float(e.influence)};
}

void check(std::span<const Exposure> in)
{
    if (in.empty() || in.size() > 64)
        throw ArgumentError(textOf("merge of %zu frames: 1 to 64 can be merged", in.size()));
    const Shape shape = in[0].pixels.shape();
    for (size_t i = 0; i < in.size(); ++i) {
        const Exposure &e = in[i];
        const Shape s = e.pixels.shape();
        if (s.empty() || s.planes != 3 || s != shape)
            throw ArgumentError(textOf("merge: frame %zu is %d x %d x %d, the first %d x %d x %d", i + 1, s.width,
                                       s.height, s.planes, shape.width, shape.height, shape.planes));
        if (!(e.exposure >= 1e-9 && e.exposure <= 1e9))
            throw ArgumentError(
                textOf("merge: exposure of frame %zu = %g: must lie in 1e-9 to 1e9", i + 1, e.exposure));
        if (!(e.noise.gain >= 0.0 && e.noise.readVariance > 0.0 && e.noise.gain < 1.0 && e.noise.readVariance < 1.0))
            throw ArgumentError(textOf("merge: noise of frame %zu is out of range", i + 1));
        if (!(e.influence > 0.0 && e.influence <= 2.0))
            throw ArgumentError(
                textOf("merge: influence of frame %zu = %g: must lie above 0, up to 2", i + 1, e.influence));
    }
}

/// Working rows of one band: soft clipping per frame, sums per channel, light of the largest channel so far.
struct Rows {
    explicit Rows(int width, int frames) : soft(width, 1, frames), light(width, 1, 1), sums(width, 1, 6) {}
    Image<float> soft, light, sums; // sums: first estimate R G B, weight R G B
};

YOLK_INLINE float linear(uint16_t code) // linearOfCode(), inlined into each version
{
    return (float(code) - float(kPedestal)) * (1.0f / kCodeScale);
}
YOLK_INLINE float smooth(float t)
{
    t = t < 0.0f ? 0.0f : t > 1.0f ? 1.0f : t;
    return t * t * (3.0f - 2.0f * t);
}

/// s of one frame. `light` is what the frames exposed less found (0 for the first): where that would clip this frame by
/// far, its value is not believed though it lies below clipping. JPEG's ringing beside an edge makes such values.
YOLK_MULTIVERSION
void softRow(const uint16_t *__restrict r, const uint16_t *__restrict g, const uint16_t *__restrict b, int width,
             Weighing w, float *__restrict soft, float *__restrict light)
{
    constexpr float kDoubt = 1.05f, kDisbelief = 1.3f; // times clipping; noise of the prediction stays well below
    for (int x = 0; x < width; ++x) {
        const float most = linear(std::max(std::max(r[x], g[x]), b[x]));
        const float contradicted = smooth((light[x] * w.exposure - kDoubt) * (1.0f / (kDisbelief - kDoubt)));
        const float s = (1.0f - smooth((most - w.low) * w.slope)) * (1.0f - contradicted);
        soft[x] = s;
        light[x] = s > 0.5f || light[x] == 0.0f ? most * w.inverse : light[x];
    }
}

YOLK_MULTIVERSION
void addLightRow(const uint16_t *__restrict in, const float *__restrict soft, int width, Weighing w,
                 float *__restrict light, float *__restrict exposure)
{
    for (int x = 0; x < width; ++x) {
        light[x] += soft[x] * linear(in[x]);
        exposure[x] += soft[x] * w.exposure;
    }
}

YOLK_MULTIVERSION
void addWeightedRow(const uint16_t *__restrict in, const float *__restrict soft, const float *__restrict first,
                    int width, Weighing w, float *__restrict value, float *__restrict weight)
{
    const float scale = w.influence * w.exposure * w.exposure;
    for (int x = 0; x < width; ++x) {
        const float predicted = first[x] * w.exposure;
        const float k = soft[x] * scale / (w.gain * (predicted > 0.0f ? predicted : 0.0f) + w.read);
        value[x] += k * linear(in[x]) * w.inverse;
        weight[x] += k;
    }
}

YOLK_MULTIVERSION
void divideRow(float *__restrict value, const float *__restrict by, int width)
{
    for (int x = 0; x < width; ++x)
        value[x] = by[x] > 0.0f ? value[x] / by[x] : 0.0f;
}

/// Shares by the weight of green: luminance is mostly green, and the channels' weights differ little.
YOLK_MULTIVERSION
void shareRow(const float *__restrict soft, const float *__restrict first, const float *__restrict weight, int width,
              Weighing w, uint8_t *__restrict share)
{
    const float scale = 255.0f * w.influence * w.exposure * w.exposure;
    for (int x = 0; x < width; ++x) {
        const float predicted = first[x] * w.exposure;
        const float k = soft[x] * scale / (w.gain * (predicted > 0.0f ? predicted : 0.0f) + w.read);
        share[x] = uint8_t(weight[x] > 0.0f ? k / weight[x] + 0.5f : 0.0f);
    }
}

/// Where no frame holds the pixel: the least exposed frame's value, its hue fading to neutral up to clipping.
void fillClippedRow(const Exposure &darkest, const Weighing &w, const Vector3 &neutral, int y, const float *weight,
                    Merged &out)
{
    const float white[3] = {float(neutral[0]), float(neutral[1]), float(neutral[2])};
    float *rgb[3] = {out.radiance.row(0, y), out.radiance.row(1, y), out.radiance.row(2, y)};
    const float high = w.low + 1.0f / w.slope;
    for (int x = 0; x < out.radiance.width(); ++x) {
        if (weight[x] > 0.0f)
            continue;
        float z[3], most = 0.0f, level = 0.0f; // level: as bright as its brightest channel says, once it is white
        for (int c = 0; c < 3; ++c) {
            z[c] = linear(darkest.pixels.row(c, y)[x]);
            most = std::max(most, z[c]);
            level = std::max(level, z[c] / white[c]);
        }
        const float fade = smooth((most - high) / (1.0f - high));
        for (int c = 0; c < 3; ++c)
            rgb[c][x] = (z[c] + fade * (level * white[c] - z[c])) * w.inverse;
        out.clipped.row(0, y)[x] = uint8_t(1.5f + 254.0f * fade);
    }
}

/// `order` lists the frames from the least exposed on.
void mergeRow(std::span<const Exposure> in, std::span<const Weighing> weighing, std::span<const size_t> order,
              const Vector3 &neutral, int y, Rows &rows, Merged &out)
{
    const int width = out.radiance.width();
    std::fill_n(rows.light.row(0, 0), width, 0.0f);
    for (size_t i : order)
        softRow(in[i].pixels.row(0, y), in[i].pixels.row(1, y), in[i].pixels.row(2, y), width, weighing[i],
                rows.soft.row(int(i), 0), rows.light.row(0, 0));
    for (int c = 0; c < 3; ++c) {
        float *first = rows.sums.row(c, 0), *weight = rows.sums.row(3 + c, 0), *value = out.radiance.row(c, y);
        std::fill_n(first, width, 0.0f);
        std::fill_n(weight, width, 0.0f);
        for (size_t i = 0; i < in.size(); ++i)
            addLightRow(in[i].pixels.row(c, y), rows.soft.row(int(i), 0), width, weighing[i], first, weight);
        divideRow(first, weight, width);
        std::fill_n(weight, width, 0.0f);
        for (size_t i = 0; i < in.size(); ++i)
            addWeightedRow(in[i].pixels.row(c, y), rows.soft.row(int(i), 0), first, width, weighing[i], value, weight);
        divideRow(value, weight, width);
    }
    const float *greenFirst = rows.sums.row(1, 0), *greenWeight = rows.sums.row(4, 0);
    for (size_t i = 0; i < in.size(); ++i)
        shareRow(rows.soft.row(int(i), 0), greenFirst, greenWeight, width, weighing[i], out.shares.row(int(i), y));
    fillClippedRow(in[order[0]], weighing[order[0]], neutral, y, greenWeight, out);
}

} // namespace

Merged mergeRadiance(std::span<const Exposure> in, const Vector3 &neutral, ExecContext &ctx)
{
    check(in);
    if (!std::ranges::all_of(neutral, [](double n) { return n >= 1e-3 && n <= 1.0; }))
        throw ArgumentError("merge: the neutral must lie in 0.001 to 1");
    const Shape shape = in[0].pixels.shape();
    Merged out{Image<float>(shape), Image<uint8_t>(shape.width, shape.height, int(in.size())),
               Image<uint8_t>(shape.width, shape.height, 1)};
    std::vector<Weighing> weighing;
    for (const Exposure &e : in)
        weighing.push_back(weighingOf(e));
    std::vector<size_t> order(in.size());
    std::iota(order.begin(), order.end(), size_t(0));
    std::ranges::stable_sort(order, {}, [&](size_t i) { return in[i].exposure; });
    forEachBand(ctx, shape.height, [&](int y0, int y1) {
        Rows rows(shape.width, int(in.size()));
        for (int y = y0; y < y1; ++y)
            mergeRow(in, weighing, order, neutral, y, rows, out);
    });
    return out;
}

} // namespace yolk
