#include "tone/fusion.h"

#include "base/monotone_spline.h"
#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "tone/local_layers.h"
#include "tone/step_table.h"
#include "tone/tone_curve.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>
#include <utility>

namespace yolk {
namespace {

constexpr int kBlendSide = 192; // pixels of the picture whose exposures are blended
constexpr int kCellPixels = 3;  // of it, across a cell of the grid
constexpr double kCellStops = 0.5;
constexpr double kExposureStops = 2.0; // at most, from one blended exposure to the next
constexpr double kLeastLight = 0x1p-20, kMostLight = 0x1p20;

using Pyramid = std::vector<cv::Mat>;

Pyramid gaussian(const cv::Mat &picture, int levels)
{
    Pyramid out{picture};
    for (int l = 0; l < levels; ++l) {
        cv::Mat half;
        cv::pyrDown(out.back(), half);
        out.push_back(half);
    }
    return out;
}

Pyramid laplacian(const cv::Mat &picture, int levels)
{
    Pyramid out = gaussian(picture, levels);
    for (size_t l = 0; l + 1 < out.size(); ++l) {
        cv::Mat larger, band; // of its own: the lowest level is the picture that was given
        cv::pyrUp(out[l + 1], larger, out[l].size());
        cv::subtract(out[l], larger, band);
        out[l] = band;
    }
    return out;
}

/// Each factor is raised and multiplied as a logarithm.
YOLK_MULTIVERSION
void weightRow(const float *__restrict r, const float *__restrict g, const float *__restrict b,
               const float *__restrict edge, int width, float contrast, float saturation, float exposedness,
               float *__restrict out)
{
    constexpr float kSigma = 0.2f, kLog2E = 1.44269504f;
    constexpr float kNothing = 1e-15f; // what the logarithm of nothing counts as
    constexpr float kLeast = 1e-12f;   // where no picture has any weight all count alike
    for (int x = 0; x < width; ++x) {
        const float mean = (r[x] + g[x] + b[x]) / 3.0f;
        const float dr = r[x] - mean, dg = g[x] - mean, db = b[x] - mean;
        const float fr = r[x] - 0.5f, fg = g[x] - 0.5f, fb = b[x] - 0.5f;
        const float deviation = 0.5f * quickLog2(dr * dr + dg * dg + db * db + kNothing * kNothing);
        const float power = contrast * quickLog2(std::abs(edge[x]) + kNothing) + saturation * deviation -
                            exposedness * (fr * fr + fg * fg + fb * fb) * kLog2E / (2.0f * kSigma * kSigma);
        out[x] = kLeast + quickExp2(power > -120.0f ? power : -120.0f); // factors fall out: weights are normalised
    }
}

cv::Mat weightOf(const std::array<cv::Mat, 3> &rgb, const FusionWeights &weights)
{
    const cv::Mat grey = 0.299 * rgb[0] + 0.587 * rgb[1] + 0.114 * rgb[2];
    cv::Mat contrast, out(grey.size(), CV_32F);
    cv::Laplacian(grey, contrast, CV_32F);
    for (int y = 0; y < out.rows; ++y)
        weightRow(rgb[0].ptr<float>(y), rgb[1].ptr<float>(y), rgb[2].ptr<float>(y), contrast.ptr<float>(y), out.cols,
                  float(weights.contrast), float(weights.saturation), float(weights.exposedness), out.ptr<float>(y));
    return out;
}

/// Fuses pictures whose channels `channelOf(picture, channel)` gives, at once for several.
Image<float> fused(Shape shape, int count, const std::function<cv::Mat(int picture, int channel)> &channelOf,
                   const FusionWeights &weights, ExecContext &ctx)
{
    const int levels = int(std::log2(std::min(shape.width, shape.height)));
    struct Picture {
        std::array<cv::Mat, 3> rgb;
        std::array<Pyramid, 3> bands;
        cv::Mat weight;
    };
    std::vector<Picture> pictures{size_t(count)};
    ExecContext parting = ctx.part(0.0, 0.5), weighing = ctx.part(0.5, 0.7), mixing = ctx.part(0.7, 0.9),
                joining = ctx.part(0.9, 1.0);
    forEachPart(parting, 3 * count, [&](int i, ExecContext &) {
        Picture &p = pictures[size_t(i / 3)];
        const size_t c = size_t(i % 3);
        p.rgb[c] = channelOf(i / 3, i % 3);
        p.bands[c] = laplacian(p.rgb[c], levels);
    });
    forEachPart(weighing, count,
                [&](int i, ExecContext &) { pictures[size_t(i)].weight = weightOf(pictures[size_t(i)].rgb, weights); });
    cv::Mat sum = pictures[0].weight.clone();
    for (size_t i = 1; i < pictures.size(); ++i)
        sum += pictures[i].weight;
    forEachPart(mixing, count, [&](int i, ExecContext &) {
        Picture &p = pictures[size_t(i)];
        const Pyramid share = gaussian(p.weight / sum, levels);
        for (Pyramid &bands : p.bands)
            for (size_t l = 0; l < bands.size(); ++l)
                cv::multiply(bands[l], share[l], bands[l]);
    });
    Image<float> out(shape, Fill::Anything);
    forEachPart(joining, 3, [&](int c, ExecContext &) {
        cv::Mat whole;
        for (int l = levels; l >= 0; --l) {
            cv::Mat band = pictures[0].bands[size_t(c)][size_t(l)];
            for (size_t i = 1; i < pictures.size(); ++i)
                band += pictures[i].bands[size_t(c)][size_t(l)];
            if (!whole.empty()) {
                cv::Mat larger;
                cv::pyrUp(whole, larger, band.size());
                band += larger;
            }
            whole = band;
        }
        whole.copyTo(matOf(out.view(), c));
    });
    return out;
}

/// sRGB code of light that lies x stops over 0.18.
StepTable codeTable(double contrast)
{
    constexpr StepTable::Steps kSteps{-16.0f, 32.0f, 32 * 32 + 1};
    return {kSteps, [&](double stops) { return encodeSrgb(std::min(1.0, luminanceOfEv(stops * contrast))); }};
}

YOLK_INLINE void add(Float4 value, float *to)
{
    store(loaded<Float4>(to) + value, to);
}

/// Light of the sRGB codes i / kCodes.
constexpr int kCodes = 4096;
const std::vector<float> &lightOfCodes()
{
    static const auto table = [] {
        std::vector<float> out(kCodes + 1);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = float(decodeSrgb(double(i) / kCodes));
        return out;
    }();
    return table;
}

/// By how many stops display light lies over scene light.
YOLK_MULTIVERSION
void stopsRow(const float *r, const float *g, const float *b, const float *ev, int width, const float *light,
              float *__restrict out)
{
    constexpr float kDarkest = 1e-4f;
    const auto lightOf = [&](float code) {
        const float at = code * float(kCodes) + 0.5f, least = at > 0.0f ? at : 0.0f;
        return light[int(least < float(kCodes) ? least : float(kCodes))];
    };
    for (int x = 0; x < width; ++x)
        out[x] = quickLog2(kDarkest + kLuminance2020[0] * lightOf(r[x]) + kLuminance2020[1] * lightOf(g[x]) +
                           kLuminance2020[2] * lightOf(b[x])) -
                 ev[x];
}

/// Codes of a picture: the dark end, its 1st percentile; the room, the mean from the 10 to the 70 % quantile; the bright
/// end, where its brightest twentieth begins.
struct Tones {
    double dark, room, bright;
};

/// Sorts in part.
Tones tonesOf(std::vector<float> &codes)
{
    const auto at = [&](double share) { return codes.begin() + ptrdiff_t(share * double(codes.size())); };
    const auto dark = at(0.01), from = at(0.1), to = at(0.7), bright = at(0.95);
    std::nth_element(codes.begin(), from, codes.end());
    std::nth_element(codes.begin(), dark, from);
    std::nth_element(from, to, codes.end());
    std::nth_element(to, bright, codes.end());
    const double room = from < to ? std::accumulate(from, to, 0.0) / double(to - from) : double(*from);
    return {double(*dark), room, double(*bright)};
}

/// Bends the codes of a blend so that its room is as light as the one curve for all has it, and its ends no lighter, as far
/// as shadows and lights become no more than twice as steep: a blend's weights go by how well exposed places are, not by
/// the light that the photographer wants; many exposures leave no black, and of a sky little but white.
void matchRoom(Image<float> &blend, ImageView<const float> scene, const ToneCurve &curve)
{
    const int width = blend.width(), height = blend.height();
    constexpr StepTable::Steps kStops{-24.0f, 16.0f, 44 * 16 + 1};
    const StepTable wantedAt(kStops, [&](double stops) { return encodeSrgb(curve.withoutZones(stops)); });
    static const StepTable codeAt(kStops, [](double stops) { return encodeSrgb(std::min(1.0, std::exp2(stops))); });
    const float *const light = lightOfCodes().data();
    const std::vector<float> none(size_t(width), 0.0f);
    std::vector<float> stops(none.size()), shown(blend.shape().pixels()), wanted(shown.size());
    for (int y = 0; y < height; ++y) {
        const size_t at = size_t(y) * size_t(width);
        stopsRow(blend.row(0, y), blend.row(1, y), blend.row(2, y), none.data(), width, light, stops.data());
        codeAt.lookUp(stops, 0.0f, shown.data() + at);
        wantedAt.lookUp({scene.row(3, y), size_t(width)}, 0.0f, wanted.data() + at);
    }
    const auto [dark, room, bright] = tonesOf(shown);
    const auto [wantedDark, wantedRoom, wantedBright] = tonesOf(wanted);
    constexpr double kApart = 0.02, kSteepest = 2.0; // codes
    if (!(room > kApart && room < 1.0 - kApart && wantedRoom > kApart && wantedRoom < 1.0 - kApart))
        return;
    std::vector<double> from{0.0}, to{0.0};
    if (const double least = std::max(std::min(dark, wantedDark), wantedRoom - kSteepest * (room - dark));
        dark > kApart && dark < room - kApart && least > 0.0 && least < wantedRoom - kApart) {
        from.push_back(dark);
        to.push_back(least);
    }
    from.push_back(room);
    to.push_back(wantedRoom);
    if (const double least = std::max(std::min(bright, wantedBright), 1.0 - kSteepest * (1.0 - bright));
        bright > room + kApart && bright < 1.0 && least > wantedRoom + kApart) {
        from.push_back(bright);
        to.push_back(least);
    }
    from.push_back(1.0);
    to.push_back(1.0);
    constexpr StepTable::Steps kCodeSteps{0.0f, 1024.0f, 1025};
    const StepTable bent(kCodeSteps, MonotoneSpline(from, to));
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            bent.lookUp({blend.row(c, y), size_t(width)}, 0.0f, blend.row(c, y));
}

/// Where a pixel lies between two cells.
struct Between {
    int first;
    float part;
};
YOLK_INLINE Between between(float at, int count)
{
    const int first = std::clamp(int(at), 0, count - 2);
    return {first, std::clamp(at - float(first), 0.0f, 1.0f)};
}

/// Adds to the cells round every pixel by how much its display light differs from scene light, and the weight.
void spread(ImageView<const float> blend, ImageView<const float> scene, LightGrid &to)
{
    const int width = blend.width(), height = blend.height();
    const float *light = lightOfCodes().data();
    std::vector<float> value(static_cast<size_t>(width));
    std::vector<Between> columns;
    for (int x = 0; x < width; ++x)
        columns.push_back(between(float((x + 0.5) / width * to.columns() - 0.5), to.columns()));
    const ptrdiff_t nextColumn = ptrdiff_t(to.lights()) * LightGrid::kValues, nextRow = nextColumn * to.columns();
    const float lowest = float(to.evAt(0)), perStop = float(1.0 / (to.evAt(1) - to.evAt(0)));
    for (int y = 0; y < height; ++y) {
        const Between row = between(float((y + 0.5) / height * to.rows() - 0.5), to.rows());
        const float *ev = scene.row(3, y);
        stopsRow(blend.row(0, y), blend.row(1, y), blend.row(2, y), ev, width, light, value.data());
        float *cells = to.at(0, row.first, 0);
        for (int x = 0; x < width; ++x) {
            const Between column = columns[size_t(x)], z = between((ev[x] - lowest) * perStop, to.lights());
            // Value and weight of one light, then of the next.
            const float v = value[size_t(x)];
            const Float4 both{(1.0f - z.part) * v, 1.0f - z.part, z.part * v, z.part};
            const Float4 right = column.part * both, left = both - right;
            const Float4 rightBelow = row.part * right, leftBelow = row.part * left;
            float *cell = cells + column.first * nextColumn + z.first * LightGrid::kValues;
            add(left - leftBelow, cell);
            add(right - rightBelow, cell + nextColumn);
            add(leftBelow, cell + nextRow);
            add(rightBelow, cell + nextRow + nextColumn);
        }
    }
}

/// Fills the lights of a column that no pixel had: between two that are known what lies between their values, beyond
/// them the outermost value. `sums` holds value and weight, which becomes 0.
void fillColumn(float *sums, int lights)
{
    constexpr float kKnown = 1e-3f; // of a pixel's weight
    int last = -1;
    for (int z = 0; z <= lights; ++z) {
        const bool known = z < lights && sums[2 * z + 1] > kKnown;
        if (known)
            sums[2 * z] /= sums[2 * z + 1];
        if (!known && z < lights)
            continue;
        for (int k = last + 1; k < z; ++k) {
            if (last < 0 && z == lights)
                sums[2 * k] = 0.0f;
            else if (last < 0 || z == lights)
                sums[2 * k] = sums[2 * (last < 0 ? z : last)];
            else
                sums[2 * k] = sums[2 * last] + (sums[2 * z] - sums[2 * last]) * float(k - last) / float(z - last);
        }
        last = z;
    }
    for (int z = 0; z < lights; ++z)
        sums[2 * z + 1] = 0.0f;
}

/// Cells that few pixels fell into take something of their neighbours, along x and y; then all columns are filled.
LightGrid filled(const LightGrid &from, ExecContext &ctx)
{
    LightGrid out = from;
    constexpr float kShare = 0.5f;
    const int values = out.columns() * out.lights() * LightGrid::kValues, column = out.lights() * LightGrid::kValues;
    constexpr int kRows = 4; // of a task
    forEachPart(ctx, (out.rows() + kRows - 1) / kRows, [&](int part, ExecContext &) {
        for (int r = part * kRows; r < std::min(out.rows(), (part + 1) * kRows); ++r) {
            float *own = out.at(0, r, 0);
            const auto take = [&](const float *other, int count, float *to) {
#pragma GCC ivdep
                for (int i = 0; i < count; ++i)
                    to[i] += kShare * other[i];
            };
            const float *here = from.at(0, r, 0);
            take(here, values - column, own + column);
            take(here + column, values - column, own);
            if (r > 0)
                take(from.at(0, r - 1, 0), values, own);
            if (r + 1 < out.rows())
                take(from.at(0, r + 1, 0), values, own);
            for (int c = 0; c < out.columns(); ++c)
                fillColumn(out.at(c, r, 0), out.lights());
        }
    });
    return out;
}

} // namespace

Image<float> fuseExposures(std::span<const ImageView<const float>> pictures, const FusionWeights &weights,
                           ExecContext &ctx)
{
    if (pictures.empty())
        throw ArgumentError("blending: no exposures");
    const Shape shape = pictures[0].shape();
    for (const auto &p : pictures)
        if (p.shape() != shape || shape.empty() || shape.planes != 3)
            throw ArgumentError(textOf("blending: exposures of %d x %d x %d and %d x %d x %d: must be alike, of three "
                                       "planes",
                                       shape.width, shape.height, shape.planes, p.width(), p.height(), p.planes()));
    return fused(
        shape, int(pictures.size()),
        [&](int picture, int channel) { return matOf(pictures[size_t(picture)], channel).clone(); }, weights, ctx);
}

std::vector<double> blendedExposures(const ToneSettings &settings, const ToneStart &start)
{
    // The darkest shows the brightest light that is held just below white, whatever the range; the brightest one is by
    // the range between the picture's own and the one that shows the darkest light as middle grey.
    constexpr double kShown = 0.8; // of white
    const double share = settings.range / 100.0, moved = settings.exposure - start.exposure;
    const double darkest = std::min(settings.exposure, moved + evOfLuminance(kShown / start.peakColour) - start.peakEv);
    constexpr double kLift = 1.0; // stops: darker exposures take part everywhere
    // At least so bright that the darkest light is told from black: L* 5 is five stops under middle grey.
    constexpr double kStopsToBlack = 5.0;
    const double natural = std::max(settings.exposure + kLift, moved - kStopsToBlack - start.lowEv);
    const double brightest = natural + share * std::max(0.0, kLift - start.lowEv - natural);
    const int count = int(std::ceil((brightest - darkest) / kExposureStops)) + 1;
    std::vector<double> out;
    for (int i = 0; i < count; ++i)
        out.push_back(count == 1 ? settings.exposure : darkest + (brightest - darkest) * i / (count - 1));
    return out;
}

Image<float> blendScene(ImageView<const float> scene)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(
            textOf("blending of %d x %d x %d: must have three planes", scene.width(), scene.height(), scene.planes()));
    const Image<float> small = shrunk(scene, kBlendSide);
    Image<float> out(small.width(), small.height(), 4);
    const auto stopsOf = [](float light) {
        return float(evOfLuminance(std::clamp(light > 0.0f ? double(light) : 0.0, kLeastLight, kMostLight)));
    };
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            float luminance = 0.0f;
            for (int c = 0; c < 3; ++c) {
                luminance += kLuminance2020[size_t(c)] * small.row(c, y)[x];
                out.row(c, y)[x] = stopsOf(small.row(c, y)[x]);
            }
            out.row(3, y)[x] = stopsOf(luminance);
        }
    return out;
}

LightGrid blendGrid(ImageView<const float> small, const ToneSettings &settings, const ToneStart &start,
                    ExecContext &ctx)
{
    if (small.shape().empty() || small.planes() != 4)
        throw ArgumentError(
            textOf("blending of %d x %d x %d: must have four planes", small.width(), small.height(), small.planes()));
    const int width = small.width(), height = small.height();
    double lowest = 1e9, highest = -1e9;
    for (int y = 0; y < height; ++y) {
        const auto [least, most] = std::minmax_element(small.row(3, y), small.row(3, y) + width);
        lowest = std::min(lowest, double(*least));
        highest = std::max(highest, double(*most));
    }
    const std::vector<double> exposures = blendedExposures(settings, start);
    const StepTable codes = codeTable(std::exp2(settings.contrast / 100.0));
    ExecContext fusing = ctx.part(0.0, 0.9), filling = ctx.part(0.9, 1.0);
    const auto exposed = [&](int picture, int channel) {
        cv::Mat out(height, width, CV_32F);
        for (int y = 0; y < height; ++y)
            codes.lookUp({small.row(channel, y), size_t(width)}, float(exposures[size_t(picture)]), out.ptr<float>(y));
        return out;
    };
    Image<float> blend = fused({width, height, 3}, int(exposures.size()), exposed, {}, fusing);
    // Toe and shoulder are no settings of a blend: as the automatic start has them.
    ToneSettings single = automaticTone(start);
    single.method = ToneMethod::Global;
    single.range = settings.range;
    single.exposure = settings.exposure;
    single.contrast = settings.contrast;
    const ToneCurve curve(single, start);
    matchRoom(blend, small, curve);
    // Beside lights the wide bands of a blend swing below 0. What is dark on the one curve for all, v, is shown at least
    // so light, v (1 - v)^2: shadows are there to be lifted. Lights may be as dark as their exposures have them.
    constexpr StepTable::Steps kStops{-24.0f, 16.0f, 44 * 16 + 1};
    const StepTable floor(kStops, [&](double stops) {
        const double v = encodeSrgb(curve.withoutZones(stops));
        return v * (1.0 - v) * (1.0 - v);
    });
    for (int c = 0; c < 3; ++c) {
        std::vector<float> least(static_cast<size_t>(width));
        for (int y = 0; y < height; ++y) {
            floor.lookUp({small.row(c, y), size_t(width)}, 0.0f, least.data());
            float *to = blend.row(c, y);
            for (int x = 0; x < width; ++x)
                to[x] = std::max(to[x], least[size_t(x)]);
        }
    }

    const auto cellsOf = [](int pixels) { return std::max(2, (pixels + kCellPixels - 1) / kCellPixels); };
    const int lights = std::max(2, int(std::ceil((highest - lowest) / kCellStops)) + 1);
    LightGrid out(cellsOf(width), cellsOf(height), lights, lowest, kCellStops);
    spread(blend.view(), small, out);
    return filled(out, filling);
}

} // namespace yolk
