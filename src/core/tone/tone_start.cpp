#include "tone/tone_start.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "tone/local_layers.h"
#include "tone/tone_curve.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr int kLookSide = 500; // pixels
constexpr size_t kQuantiles = 32;
constexpr double kDeepest = 24.0; // stops below the peak that still count: black is no end of a range

double texture(ImageView<const float> ev, double low, double high)
{
    const int side = std::max(4, std::max(ev.width(), ev.height()) * 2 / 100);
    double sum = 0.0;
    int blocks = 0;
    for (int y = 0; y + side <= ev.height(); y += side)
        for (int x = 0; x + side <= ev.width(); x += side) {
            double values = 0.0, squares = 0.0;
            for (int v = y; v < y + side; ++v)
                for (int u = x; u < x + side; ++u) {
                    const double e = std::clamp(double(ev.row(0, v)[u]), low, high);
                    values += e;
                    squares += e * e;
                }
            const double count = double(side) * side, mean = values / count;
            sum += std::sqrt(std::max(0.0, squares / count - mean * mean));
            ++blocks;
        }
    return blocks > 0 ? sum / blocks : 0.0;
}

double spreadOf(const ToneStart &start)
{
    return std::max(1.0, start.highEv - start.lowEv);
}

std::vector<double> quantilesOf(const ToneStart &start)
{
    if (!start.quantiles.empty())
        return start.quantiles;
    std::vector<double> out;
    for (size_t i = 0; i < kQuantiles; ++i) {
        const double share = (double(i) + 0.5) / kQuantiles;
        out.push_back(share < 0.5 ? std::lerp(start.lowEv, start.averageEv, 2.0 * share)
                                  : std::lerp(start.averageEv, start.highEv, 2.0 * share - 1.0));
    }
    return out;
}

/// The toe that brings the 1st percentile to a display light of 0.003 (L* 2.7), at most half of what there is: solved
/// for t in D^2 (1 + t) / (D + t).
double toeFor(const ToneSettings &settings, const ToneStart &start)
{
    ToneSettings without = settings;
    without.toe = 0.0;
    const double low = ToneCurve(without, start).luminance(start.lowEv);
    constexpr double kBlack = 0.003;
    const double room = kBlack - low * low;
    const double toe = low <= kBlack ? 0.0 : room > 0.0 ? low * (low - kBlack) / room : 1.0;
    return std::round(std::min(50.0, 100.0 * std::sqrt(toe / 0.25)));
}

/// All but exposure and toe.
ToneSettings withoutExposure(const ToneStart &start)
{
    constexpr double kTexture = 0.6, kShoulder = 60.0;
    ToneSettings out;
    const double slope = slopeOf(start);
    out.range = std::round(std::clamp((1.0 - slope) / 0.75 * 100.0, 0.0, 100.0));
    out.contrast = std::round(std::max(0.0, 100.0 * std::log2(slope)));
    out.shoulder = kShoulder;
    const double gain = start.texture > 0.0 ? 100.0 * (kTexture / start.texture - 1.0) : 0.0;
    out.localContrast = out.fineDetail = std::round(std::clamp(gain, -10.0, 60.0));
    return out;
}

} // namespace

ToneStart toneStartOf(ImageView<const float> scene)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(textOf("the tone of a scene of %d x %d x %d: must have three planes", scene.width(),
                                   scene.height(), scene.planes()));
    const Image<float> small = shrunk(scene, kLookSide);
    Image<float> ev(small.width(), small.height(), 1);
    std::vector<double> sorted;
    for (int y = 0; y < ev.height(); ++y)
        for (int x = 0; x < ev.width(); ++x) {
            float light = 0.0f;
            for (int c = 0; c < 3; ++c)
                light += kLuminance2020[size_t(c)] * small.row(c, y)[x];
            ev.row(0, y)[x] = float(evOfLuminance(std::isfinite(light) ? double(light) : 0.0));
            sorted.push_back(double(ev.row(0, y)[x]));
        }
    std::ranges::sort(sorted);
    const auto percentile = [&](double share) { return sorted[size_t(share * double(sorted.size() - 1))]; };
    ToneStart out;
    out.peakEv = percentile(0.9995);
    out.highEv = percentile(0.99);
    out.lowEv = std::max(percentile(0.01), out.peakEv - kDeepest);
    out.averageEv = 0.0;
    for (double v : sorted)
        out.averageEv += std::clamp(v, out.lowEv, out.highEv) / double(sorted.size());
    for (size_t i = 0; i < kQuantiles; ++i)
        out.quantiles.push_back(percentile((double(i) + 0.5) / kQuantiles));
    out.texture = texture(ev.view(), out.lowEv, out.highEv);
    return completed(std::move(out));
}

double slopeOf(const ToneStart &start)
{
    constexpr double kDisplayStops = 8.0, kMostSlope = 1.6;
    return std::min(kMostSlope, kDisplayStops / spreadOf(start));
}

ToneStart completed(ToneStart start)
{
    constexpr double kMean = 0.46, kSkew = 0.1, kFarthest = 12.0;
    const double skew = std::clamp((2.0 * start.averageEv - start.lowEv - start.highEv) / spreadOf(start), -1.0, 1.0);
    const double wanted = kMean + kSkew * skew;
    const std::vector<double> quantiles = quantilesOf(start);
    ToneSettings settings = withoutExposure(start);
    double low = -kFarthest, high = kFarthest;
    for (int i = 0; i < 20; ++i) {
        settings.exposure = start.exposure = (low + high) / 2;
        settings.toe = toeFor(settings, start);
        const ToneCurve curve(settings, start);
        double mean = 0.0;
        for (double ev : quantiles)
            mean += encodeSrgb(curve.luminance(ev)) / double(quantiles.size());
        (mean < wanted ? low : high) = settings.exposure;
    }
    constexpr double kStep = 0.05;
    start.exposure = std::round((low + high) / 2 / kStep) * kStep;
    return start;
}

ToneSettings automaticTone(const ToneStart &start)
{
    ToneSettings out = withoutExposure(start);
    out.exposure = start.exposure;
    out.toe = toeFor(out, start);
    return out;
}

} // namespace yolk
