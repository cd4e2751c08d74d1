#include "tone/tone_start.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "tone/local_layers.h"
#include "tone/tone_curve.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <span>

namespace yolk {
namespace {

constexpr int kLookSide = 500; // pixels
constexpr size_t kQuantiles = 32;
constexpr double kDeepest = 24.0; // stops below the peak that still count: black is no end of a range

constexpr double kRoomFrom = 0.1, kRoomTo = 0.7; // shares of the pixels

bool isRoom(size_t quantile)
{
    const double share = (double(quantile) + 0.5) / kQuantiles;
    return share > kRoomFrom && share < kRoomTo;
}

/// Where most of a pixel of a smaller picture is held by some frame; 1 everywhere where nothing is known.
Image<uint8_t> heldIn(Shape shape, ImageView<const uint8_t> clipped)
{
    Image<uint8_t> out(shape.width, shape.height, 1);
    cv::Mat held = matOf(out.view(), 0);
    held.setTo(1);
    if (clipped.shape().empty())
        return out;
    const cv::Mat any = matOf(clipped, 0) != 0; // 255 where it is
    cv::Mat smaller;
    cv::resize(any, smaller, held.size(), 0, 0, cv::INTER_AREA);
    held.setTo(0, smaller > 127);
    if (cv::countNonZero(held) == 0) // something must be the brightest
        held.setTo(1);
    return out;
}

/// Largest channel over luminance, in linear Rec. 709, of the pixels between two lights that count.
double colourOfLight(ImageView<const float> scene, ImageView<const float> ev, ImageView<const uint8_t> counts,
                     double low, double high)
{
    static const Matrix3 kToRec709 = rgbToRgb(kRec2020, kRec709);
    Vector3 sum{};
    for (int y = 0; y < ev.height(); ++y)
        for (int x = 0; x < ev.width(); ++x)
            if (counts.row(0, y)[x] && double(ev.row(0, y)[x]) >= low && double(ev.row(0, y)[x]) <= high) {
                const double light = luminanceOfEv(double(ev.row(0, y)[x]));
                for (size_t c = 0; c < 3; ++c)
                    sum[c] += double(scene.row(int(c), y)[x]) / light; // each pixel counts alike
            }
    const Vector3 rgb = kToRec709 * sum;
    const double light =
        double(kLuminance2020[0]) * sum[0] + double(kLuminance2020[1]) * sum[1] + double(kLuminance2020[2]) * sum[2];
    return light > 0.0 ? std::max(1.0, std::ranges::max(rgb) / light) : 1.0;
}

double darkOf(const ToneStart &start)
{
    return std::max(0.5, start.roomEv - start.lowEv);
}

/// The toe that brings the 1st percentile down to L* 5, as far as 90 of 100: solved for t in
/// D^2 (1 + t) / (D + t). What is less than six stops wide, as fog, need not reach black.
double toeFor(const ToneSettings &settings, const ToneStart &start)
{
    ToneSettings without = settings;
    without.toe = 0.0;
    const double low = ToneCurve(without, start).luminance(start.lowEv);
    constexpr double kBlack = 0.0055, kWide = 6.0, kNarrow = 4.0;
    const double wide = std::clamp((start.highEv - start.lowEv - kNarrow) / (kWide - kNarrow), 0.0, 1.0);
    const double black = std::lerp(low, std::min(low, kBlack), wide), room = black - low * low;
    const double toe = low <= black ? 0.0 : room > 0.0 ? low * (low - black) / room : 1.0;
    return std::round(std::min(90.0, 100.0 * std::sqrt(toe / 0.25)));
}

/// All but exposure and toe.
ToneSettings withoutExposure(const ToneStart &start)
{
    ToneSettings out;
    const double slope = slopeOf(start);
    out.range = std::round(std::clamp((1.0 - slope) / 0.75 * 100.0, 0.0, 100.0));
    out.contrast = std::round(std::max(0.0, 100.0 * std::log2(slope)));
    return out;
}

/// Standard deviation in L* that noise makes of the room's noisiest part; detail is shown as it is, whatever the curve
/// does to large areas.
double grainIn(const ToneCurve &curve, const ToneStart &start, std::span<const double> quantiles)
{
    double most = 0.0;
    for (size_t q = 0; q < start.noise.size() && q < quantiles.size(); ++q)
        if (isRoom(q)) {
            const double light = curve.luminance(quantiles[q]), noise = start.noise[q];
            most = std::max(
                most, 0.5 * (lightnessOf(light * (1.0 + noise)) - lightnessOf(light * std::max(0.0, 1.0 - noise))));
        }
    return most;
}

} // namespace

double roomLightnessOf(double luminance)
{
    constexpr double kDay = 44.0, kNight = 30.0, kDusk = 3.0; // cd/m2; a stop above it is day
    return std::lerp(kNight, kDay, std::clamp(std::log2(std::max(luminance, 1e-9) / kDusk), 0.0, 1.0));
}

ToneStart toneStartOf(ImageView<const float> scene, const SceneFacts &facts)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(textOf("the tone of a scene of %d x %d x %d: must have three planes", scene.width(),
                                   scene.height(), scene.planes()));
    const Image<float> small = shrunk(scene, kLookSide);
    Image<float> ev(small.width(), small.height(), 1);
    const Image<uint8_t> held = heldIn(ev.shape(), facts.clipped);
    std::vector<double> sorted, lights; // of all pixels; of those that some frame holds
    for (int y = 0; y < ev.height(); ++y)
        for (int x = 0; x < ev.width(); ++x) {
            float light = 0.0f;
            for (int c = 0; c < 3; ++c)
                light += kLuminance2020[size_t(c)] * small.row(c, y)[x];
            ev.row(0, y)[x] = float(evOfLuminance(std::isfinite(light) ? double(light) : 0.0));
            sorted.push_back(double(ev.row(0, y)[x]));
            if (held.row(0, y)[x])
                lights.push_back(sorted.back());
        }
    std::ranges::sort(sorted);
    std::ranges::sort(lights);
    const auto of = [](const std::vector<double> &values, double share) {
        return values[size_t(share * double(values.size() - 1))];
    };
    const auto percentile = [&](double share) { return of(sorted, share); };
    ToneStart out;
    for (const double share : kTailShares)
        out.tail.push_back(of(lights, 1.0 - share));
    out.peakEv = out.tail.front();
    out.highEv = percentile(0.99);
    out.lowEv = std::max(percentile(0.01), out.peakEv - kDeepest);
    double room = 0.0, count = 0.0;
    for (size_t i = 0; i < kQuantiles; ++i) {
        out.quantiles.push_back(percentile((double(i) + 0.5) / kQuantiles));
        if (isRoom(i)) {
            room += std::clamp(out.quantiles.back(), out.lowEv, out.highEv);
            count += 1.0;
        }
    }
    out.roomEv = room / count;
    if (facts.luminanceOfGrey)
        out.roomLightness = roomLightnessOf(*facts.luminanceOfGrey * std::exp2(out.roomEv));
    for (size_t i = 0; facts.noise && i < kQuantiles; ++i)
        out.noise.push_back(facts.noise(luminanceOfEv(out.quantiles[i])));
    out.peakColour = colourOfLight(small.view(), ev.view(), held.view(), of(lights, 0.995), of(lights, 0.9995));
    return completed(std::move(out));
}

std::vector<double> quantilesOf(const ToneStart &start)
{
    if (!start.quantiles.empty())
        return start.quantiles;
    std::vector<double> out;
    for (size_t i = 0; i < kQuantiles; ++i) {
        const double share = (double(i) + 0.5) / kQuantiles;
        out.push_back(share < 0.5 ? std::lerp(start.lowEv, start.roomEv, 2.0 * share)
                                  : std::lerp(start.roomEv, start.highEv, 2.0 * share - 1.0));
    }
    return out;
}

double slopeOf(const ToneStart &start)
{
    // From the room's lightness down to L* 5, in stops of odds.
    constexpr double kStopsToBlack = 4.86, kFlattest = 0.45, kSteepest = 1.25;
    return std::clamp(kStopsToBlack / darkOf(start), kFlattest, kSteepest);
}

ToneStart completed(ToneStart start)
{
    constexpr double kFarthest = 12.0, kGrain = 4.0; // stops: the slider's reach; L*
    const std::vector<double> quantiles = quantilesOf(start);
    ToneSettings settings = withoutExposure(start);
    double low = -kFarthest, high = kFarthest;
    for (int i = 0; i < 20; ++i) {
        settings.exposure = start.exposure = (low + high) / 2;
        settings.toe = toeFor(settings, start);
        const ToneCurve curve(settings, start);
        double lightness = 0.0, count = 0.0;
        for (size_t q = 0; q < quantiles.size(); ++q)
            if (isRoom(q)) {
                lightness += curve.lightness(quantiles[q]);
                count += 1.0;
            }
        const bool mayRise = lightness < start.roomLightness * count && grainIn(curve, start, quantiles) < kGrain;
        (mayRise ? low : high) = settings.exposure;
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
