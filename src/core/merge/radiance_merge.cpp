#include "merge/radiance_merge.h"

#include "align/warp.h"
#include "base/vectorise.h"
#include "io/linear_codes.h"
#include "movement/movement.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <numeric>
#include <vector>

namespace yolk {
namespace {

constexpr int kMostFrames = 64;

/// Constants of one frame, ready for the loop.
struct Weighing {
    float exposure, inverse; // e, 1 / e
    float least;             // next to e nothing
    float low, slope;        // let go smoothly: s = 1 at low, 0 at low + 1 / slope
    float ownLow, ownSlope;  // the same for the frame's own value, right below clipping
    float doubt;             // light of the darker frames that contradicts this one, in units of its clipping
    float first;             // weight of z in the first estimate
    float shot, precision;   // weight = influence * s * precision / (1 + shot * light)
    float gain, read;        // of its noise model
    float influence;
};

constexpr double kRampStops = 0.1, kClear = 2.0; // where letting go ends: sigma below clipping
constexpr double kOwnFrom = 1.0, kOwnTo = 0.5;   // sigma below clipping
constexpr double kDarkSnr = 1.0;                 // of the best frame, where the first estimate must be at its best
constexpr float kKeepsPromise = 0.7f;            // of the light that clipped frames show there to be
constexpr float kDisbelief = 0.25f;              // from doubt to no weight at all

Weighing weighingOf(const Exposure &e, double darkLight)
{
    const double sigma = std::sqrt(e.noise.variance(1.0));
    const double high = std::max(0.5, 1.0 - kClear * sigma), low = high * std::exp2(-kRampStops);
    const double ownHigh = std::max(high, 1.0 - std::max(kOwnTo * sigma, 1e-3));
    const double ownLow = std::max(low, ownHigh - std::max((kOwnFrom - kOwnTo) * sigma, 1e-3));
    Weighing w{};
    w.exposure = float(e.exposure);
    w.inverse = float(1.0 / e.exposure);
    w.gain = float(e.noise.gain);
    w.read = float(e.noise.readVariance);
    w.low = float(low);
    w.slope = float(1.0 / (high - low));
    w.ownLow = float(ownLow);
    w.ownSlope = float(1.0 / (ownHigh - ownLow));
    w.doubt = float(1.05 + 4.0 * sigma);
    w.least = float(1e-9 * e.exposure);
    const double read = std::max(e.noise.readVariance, 1e-9 * e.noise.gain); // three variances multiply within a float
    w.first = float(e.exposure / e.noise.variance(darkLight * e.exposure));
    w.shot = float(e.noise.gain * e.exposure / read);
    w.precision = float(e.exposure * e.exposure / read);
    w.influence = float(e.influence);
    return w;
}

void check(std::span<const Exposure> in)
{
    if (in.empty() || in.size() > size_t(kMostFrames))
        throw ArgumentError(textOf("merge of %zu frames: 1 to 64 can be merged", in.size()));
    const Shape shape = in[0].pixels.shape();
    for (size_t i = 0; i < in.size(); ++i) {
        const Exposure &e = in[i];
        const Shape s = e.pixels.shape();
        if (s.empty() || s.planes != 3 || s != shape)
            throw ArgumentError(textOf("merge: frame %zu is %d x %d x %d, the first %d x %d x %d", i + 1, s.width,
                                       s.height, s.planes, shape.width, shape.height, shape.planes));
        if (const Shape t = e.trust.shape(); t != Shape{} && t != Shape{shape.width, shape.height, 1})
            throw ArgumentError(
                textOf("merge: trust of frame %zu is %d x %d x %d", i + 1, t.width, t.height, t.planes));
        if (const Shape m = e.movement.shape();
            !m.empty() && (e.movementCell < 1 || m.planes != 1 || m.width * e.movementCell < shape.width ||
                           m.height * e.movementCell < shape.height))
            throw ArgumentError(textOf("merge: the movement of frame %zu does not cover it", i + 1));
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

/// Codes, or the first `count` of them, as linear values.
template <class Floats> YOLK_INLINE Floats linear(const uint16_t *from, int count)
{
    typename With<Floats>::Shorts codes{};
    std::memcpy(&codes, from, size_t(count) * sizeof(uint16_t));
    return (floatsOf<Floats>(codes) - float(kPedestal)) * (1.0f / kCodeScale);
}
/// Bytes of trust (align/warp.h) as factors.
template <class Floats> YOLK_INLINE Floats trustOf(const uint8_t *from, int count)
{
    typename With<Floats>::Bytes bytes{};
    std::memcpy(&bytes, from, size_t(count));
    const auto wide = __builtin_convertvector(bytes, typename With<Floats>::Ints);
    const Floats value = __builtin_convertvector(wide, Floats);
    const Floats factor = (value - float(kNotBelieved)) * (1.0f / float(kBelieved - kNotBelieved));
    return factor > 0.0f ? factor : Floats{};
}
template <class Floats> YOLK_INLINE Floats largest(Floats a, Floats b, Floats c)
{
    return most(most(a, b), c);
}
template <class Floats> YOLK_INLINE Floats smooth(Floats t)
{
    t = t < 0.0f ? Floats{} : t;
    t = t > 1.0f ? Floats{} + 1.0f : t;
    return t * t * (3.0f - 2.0f * t);
}
template <class Floats> YOLK_INLINE void storeBytes(uint8_t *to, Floats values, int count)
{
    using Of = With<Floats>;
    const auto shorts =
        __builtin_convertvector(__builtin_convertvector(values + 0.5f, typename Of::Ints), typename Of::Shorts);
    const auto bytes = __builtin_convertvector(shorts, typename Of::Bytes);
    std::memcpy(to, &bytes, size_t(count));
}
template <class Floats> YOLK_INLINE void storeBrief(uint16_t *to, Floats values, int count)
{
    using Of = With<Floats>;
    const auto rounded = (std::bit_cast<typename Of::Ints>(values) + 0x8000) >> 16;
    const auto brief = __builtin_convertvector(rounded, typename Of::Shorts);
    std::memcpy(to, &brief, size_t(count) * sizeof(uint16_t));
}

/// Rows of one frame and of the result.
struct FrameRow {
    const uint16_t *rgb[3];
    const uint8_t *trust; ///< nullptr: in full everywhere
    uint8_t *share;
};
struct ResultRow {
    float *radiance[3];
    uint16_t *variance[3];
    uint8_t *clipped; ///< 1 where nothing holds the pixel; fillClippedRow() makes more of it
};

/// As many pixels from x on as `Floats` has values, or the first `count` of them. `frames` and `weighing` run from the
/// least exposed on.
template <class Floats>
YOLK_INLINE void mergePixels(const FrameRow *frames, const Weighing *weighing, int n, int x, int count,
                             const ResultRow &out)
{
    Floats z[kMostFrames][3], soft[kMostFrames];
    Floats light[3] = {}, exposure = {};      // sums of s z and s e so far: the common estimate, by shot noise
    bool moved = false;                       // some frame was brought here, or is steered
    Floats atLeast = {};                      // light that clipped frames show there to be
    Floats first[3] = {}, firstExposure = {}; // the first estimate of the variance
    for (int i = 0; i < n; ++i) {
        const Weighing &w = weighing[i];
        for (int c = 0; c < 3; ++c)
            z[i][c] = linear<Floats>(frames[i].rgb[c] + x, count);
        const Floats own = largest(z[i][0], z[i][1], z[i][2]);
        // One division for both estimates: with this frame, and from those before it alone.
        const Floats before = most(exposure, Floats{} + w.least), after = exposure + w.exposure;
        const Floats scale = w.exposure / (before * after);
        const Floats with = largest(light[0] + z[i][0], light[1] + z[i][1], light[2] + z[i][2]) * before * scale;
        const Floats without = most(largest(light[0], light[1], light[2]) * after * scale, atLeast * w.exposure);
        const Floats letGo =
            largest((with - w.low) * w.slope, (own - w.ownLow) * w.ownSlope, (without - w.doubt) * (1.0f / kDisbelief));
        moved |= frames[i].trust != nullptr;
        const Floats trust = frames[i].trust ? trustOf<Floats>(frames[i].trust + x, count) : Floats{} + 1.0f;
        const Floats held = 1.0f - smooth(letGo);
        soft[i] = held * trust;
        for (int c = 0; c < 3; ++c)
            light[c] += soft[i] * z[i][c];
        exposure += soft[i] * w.exposure;
        atLeast = most(atLeast, (1.0f - held) * trust * own * w.inverse);
        const Floats weight = soft[i] * w.first;
        for (int c = 0; c < 3; ++c)
            first[c] += weight * z[i][c];
        firstExposure += weight * w.exposure;
    }
    const Floats perExposure = firstExposure > 0.0f ? 1.0f / firstExposure : Floats{};
    Floats value[3] = {}, weight[3] = {}, squares[3] = {}, green[kMostFrames];
    for (int i = 0; i < n; ++i) {
        const Weighing &w = weighing[i];
        Floats variance[3]; // in units of the read variance, so that one division serves three
        for (int c = 0; c < 3; ++c)
            variance[c] = 1.0f + w.shot * most(first[c] * perExposure, Floats{});
        const Floats belief = soft[i] * w.influence;
        const Floats scale = belief * w.precision / (variance[0] * variance[1] * variance[2]);
        const Floats k[3] = {scale * variance[1] * variance[2], scale * variance[0] * variance[2],
                             scale * variance[0] * variance[1]};
        for (int c = 0; c < 3; ++c) {
            value[c] += k[c] * (z[i][c] * w.inverse);
            weight[c] += k[c];
            squares[c] += belief * k[c];
        }
        green[i] = k[1];
    }
    if (moved) { // what shows far less than clipped frames promise shows another spot
        const Floats shown = largest(value[0] / weight[0], value[1] / weight[1], value[2] / weight[2]);
        for (int c = 0; c < 3; ++c)
            weight[c] = shown < kKeepsPromise * atLeast ? Floats{} : weight[c];
    }
    for (int c = 0; c < 3; ++c) {
        const Floats inverse = weight[c] > 0.0f ? 1.0f / weight[c] : Floats{};
        const Floats mean = value[c] * inverse;
        std::memcpy(out.radiance[c] + x, &mean, size_t(count) * sizeof(float));
        storeBrief(out.variance[c] + x, squares[c] * inverse * inverse, count);
        if (c == 1)
            for (int i = 0; i < n; ++i)
                storeBytes(frames[i].share + x, green[i] * inverse * 255.0f, count);
    }
    storeBytes(out.clipped + x, weight[1] > 0.0f ? Floats{} : Floats{} + 1.0f, count);
}

template <class Floats>
YOLK_INLINE void mergeRowOf(const FrameRow *frames, const Weighing *weighing, int n, int width, const ResultRow &out)
{
    constexpr int kCount = With<Floats>::kCount;
    int x = 0;
    for (; x + kCount <= width; x += kCount)
        mergePixels<Floats>(frames, weighing, n, x, kCount, out);
    if (x < width)
        mergePixels<Floats>(frames, weighing, n, x, width - x, out);
}
YOLK_MULTIVERSION
void mergeRow(const FrameRow *frames, const Weighing *weighing, int n, int width, const ResultRow &out)
{
    mergeRowOf<Float8>(frames, weighing, n, width, out);
}
YOLK_WIDE_VECTORS
void mergeRowWide(const FrameRow *frames, const Weighing *weighing, int n, int width, const ResultRow &out)
{
    mergeRowOf<Float16>(frames, weighing, n, width, out);
}

/// The frame to go by where none holds the pixel: the least exposed one. Of frames that were moved it is the one that
/// shows the most light, as there is at least what each of them shows.
size_t fillingAt(const std::vector<FrameRow> &frames, const std::vector<Weighing> &weighing, int x)
{
    if (!frames.front().trust)
        return 0;
    size_t best = 0;
    float most = -INFINITY;
    for (size_t i = 0; i < frames.size(); ++i) {
        if (frames[i].trust && frames[i].trust[x] == 0)
            continue;
        const auto &rgb = frames[i].rgb;
        const float light = linearOfCode(std::max({rgb[0][x], rgb[1][x], rgb[2][x]})) * weighing[i].inverse;
        if (light > most) {
            most = light;
            best = i;
        }
    }
    return best;
}

/// Where no frame holds the pixel: see mergeRadiance().
void fillClippedRow(const std::vector<FrameRow> &frames, const std::vector<Weighing> &weighing, const Vector3 &neutral,
                    int width, const ResultRow &out)
{
    const float white[3] = {float(neutral[0]), float(neutral[1]), float(neutral[2])};
    for (int x = 0; x < width; ++x) {
        if (out.clipped[x] == 0)
            continue;
        const size_t from = fillingAt(frames, weighing, x);
        const FrameRow &darkest = frames[from];
        const Weighing &w = weighing[from];
        const float high = w.low + 1.0f / w.slope;
        float brightest = 0.0f, level[3], lost[3]; // against white; 0 .. 1: how far into clipping
        for (int c = 0; c < 3; ++c) {
            const float z = linearOfCode(darkest.rgb[c][x]), t = std::clamp((z - high) / (1.0f - high), 0.0f, 1.0f);
            brightest = std::max(brightest, z);
            level[c] = z / white[c];
            lost[c] = t * t * (3.0f - 2.0f * t);
            out.variance[c][x] = briefOf((w.gain * std::max(z, 0.0f) + w.read) * w.inverse * w.inverse);
        }
        const float highest = std::max({level[0], level[1], level[2]});
        float known = highest;
        for (int c = 0; c < 3; ++c)
            known = std::min(known, level[c] + lost[c] * (highest - level[c]));
        for (int c = 0; c < 3; ++c)
            level[c] += lost[c] * std::max(0.0f, known - level[c]);
        const float between = std::sqrt(std::max(0.0f, level[0] * level[2]));
        level[1] += lost[1] * std::max(0.0f, between - level[1]);
        for (int c = 0; c < 3; ++c)
            out.radiance[c][x] = level[c] * white[c] * w.inverse;
        // A frame that was not believed may hold the pixel all the same.
        const bool held = darkest.trust && brightest < w.low;
        out.clipped[x] = held ? uint8_t(0) : uint8_t(1.5f + 254.0f * std::min({lost[0], lost[1], lost[2]}));
    }
}

} // namespace

Merged mergeRadiance(std::span<const Exposure> in, const Vector3 &neutral, ExecContext &ctx)
{
    check(in);
    if (!std::ranges::all_of(neutral, [](double n) { return n >= 1e-3 && n <= 1.0; }))
        throw ArgumentError("merge: the neutral must lie in 0.001 to 1");
    const Shape shape = in[0].pixels.shape();
    const int n = int(in.size());
    Merged out{Image<float>(shape, Fill::Anything), Image<uint16_t>(shape, Fill::Anything),
               Image<uint8_t>({shape.width, shape.height, n}, Fill::Anything),
               Image<uint8_t>({shape.width, shape.height, 1}, Fill::Anything)};
    std::vector<int> order(in.size());
    std::iota(order.begin(), order.end(), 0);
    std::ranges::stable_sort(order, {}, [&](int i) { return in[size_t(i)].exposure; });
    double darkLight = 1e9;
    for (const Exposure &e : in)
        darkLight = std::min(darkLight, e.noise.levelOfSnr(kDarkSnr) / e.exposure);
    std::vector<Weighing> weighing;
    for (int i : order)
        weighing.push_back(weighingOf(in[size_t(i)], darkLight));
    const auto merge = hasWideVectors() ? mergeRowWide : mergeRow;
    forEachBand(ctx, shape.height, [&](int y0, int y1) {
        std::vector<FrameRow> frames(in.size());
        Image<uint8_t> steered(shape.width, n, 1); // a row of each frame
        for (int y = y0; y < y1; ++y) {
            ResultRow result{{}, {}, out.clipped.row(0, y)};
            for (int c = 0; c < 3; ++c) {
                result.radiance[c] = out.radiance.row(c, y);
                result.variance[c] = out.variance.row(c, y);
                for (size_t i = 0; i < in.size(); ++i)
                    frames[i].rgb[c] = in[size_t(order[i])].pixels.row(c, y);
            }
            for (size_t i = 0; i < in.size(); ++i) {
                const Exposure &e = in[size_t(order[i])];
                frames[i].trust = e.trust.shape().empty() ? nullptr : e.trust.row(0, y);
                uint8_t *row = steered.row(0, int(i));
                if (!e.movement.shape().empty() &&
                    steerRow(e.movement, e.movementCell, y, shape.width, frames[i].trust, row))
                    frames[i].trust = row;
                frames[i].share = out.shares.row(order[i], y);
            }
            merge(frames.data(), weighing.data(), n, shape.width, result);
            fillClippedRow(frames, weighing, neutral, shape.width, result);
        }
    });
    return out;
}

} // namespace yolk
