#include "tone/tone_curve.h"

#include "colour/transfer.h"
#include "tone/tone_zones.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kGrey = 0.18;
constexpr double kGreyOdds = kGrey / (1.0 - kGrey); // m at v = 0: m / (1 + m) = 0.18

constexpr double kWhite = 0.955;  // light of the code 250 of 255, from where on nobody tells two lights apart
constexpr double kSteepest = 4.0; // stops of odds for a stop of the scene

/// Odds of display light.
double oddsOf(double light)
{
    return light / (1.0 - light);
}

/// Largest channel of the brightest light over its luminance, as far as the curve makes room for it.
double colourOf(const ToneStart &start)
{
    constexpr double kStrongest = 1.17;
    return std::min(start.peakColour, kStrongest);
}

/// Where the brightest light is to land, in stops of odds over middle grey. Its largest channel stays below kWhite;
/// large areas leave a quarter of a stop for detail on them.
/// Stronger colours than colourOf() takes are left to the soft end of ToneMapper. How far the shoulder reaches is our choice.
double brightest(const ToneSettings &settings, const ToneStart &start)
{
    constexpr double kHighest = 0.94, kHighestBase = 0.8;
    constexpr double kSofter = 2.0, kHarder = 3.5, kNeutralShoulder = 50.0;
    const double light = settings.method == ToneMethod::Local ? kHighestBase : kHighest;
    const double shoulder = (kNeutralShoulder - settings.shoulder) / kNeutralShoulder;
    return std::log2(oddsOf(std::min(light, kHighest / colourOf(start))) / kGreyOdds) +
           shoulder * (shoulder > 0.0 ? kHarder : kSofter);
}

double exponentOf(double range)
{
    return 1.0 - 0.75 * range / 100.0;
}
double toeOf(double toe)
{
    return 0.25 * (toe / 100.0) * (toe / 100.0);
}
double withToe(double d, double toe)
{
    return d * d * (1.0 + toe) / (d + toe + 1e-12);
}

/// Display light as it is up to kRollFrom, then ever slower towards 1; the slope stays whole where the two meet.
double rolledOff(double light)
{
    return light <= kRollFrom ? light : 1.0 - (1.0 - kRollFrom) * std::exp((kRollFrom - light) / (1.0 - kRollFrom));
}

} // namespace

double photographic(double odds)
{
    return odds / (1.0 + odds);
}

BrightBend::BrightBend(double slope, double reach, double wanted) : slope_(slope)
{
    // c by halving, as 1 / c: from a straight line to ever stronger bends, one way or the other.
    const bool squeezes = wanted < slope * reach;
    double low = 0.0, high = squeezes ? 1e3 / reach : std::max(0.0, std::log(kSteepest / slope)) / reach;
    for (int i = 0; i < 50; ++i) {
        const double middle = (low + high) / 2;
        bend_ = squeezes ? middle : -middle;
        ((*this)(reach) > wanted) == squeezes ? low = middle : high = middle;
    }
}

double BrightBend::operator()(double x) const
{
    if (std::abs(bend_ * x) < 1e-9)
        return slope_ * x;
    return slope_ / std::abs(bend_) * (bend_ > 0.0 ? std::log1p(bend_ * x) : std::expm1(-bend_ * x));
}

double evOfLuminance(double luminance)
{
    constexpr double kDarkest = 1e-12; // some 37 stops below grey: far below any sensor
    return std::log2((luminance > kDarkest ? luminance : kDarkest) / kGrey);
}

double luminanceOfEv(double ev)
{
    return kGrey * std::exp2(ev);
}

ToneCurve::ToneCurve(const ToneSettings &settings, const ToneStart &start, PlainEnd end)
    : settings_(settings), end_(end)
{
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            assign(settings_, field, settings.*field.member, "tone." + std::string(field.key));
    });
    squeeze_ = settings.method == ToneMethod::Plain ? 1.0 : exponentOf(settings.range);
    slope_ = squeeze_ * std::exp2(settings.contrast / 100.0);
    constexpr double kLeastReach = 0.5; // stops
    bright_ = BrightBend(slope_, std::max(kLeastReach, start.peakEv + start.exposure), brightest(settings, start));
    toe_ = toeOf(settings.toe);

    if (!movesZones(settings))
        return;
    std::array<double, 7> knots{}, values{};
    knots.back() = values.back() = 100.0;
    for (size_t k = 0; k < kZones.size(); ++k) {
        const double value = settings.*kZones[k] / 100.0;
        knots[k + 1] = kZoneLightness[k];
        values[k + 1] =
            std::max(values[k] + kZoneApart, kZoneLightness[k] + value * (value < 0.0 ? kZoneDown[k] : kZoneUp[k]));
        values[k + 1] = std::min(values[k + 1], 100.0 - kZoneApart * double(kZones.size() - k));
    }
    zones_.emplace(knots, values);
}

double ToneCurve::base(double ev) const
{
    const double v = ev + settings_.exposure;
    if (settings_.method == ToneMethod::Plain) {
        const double contrasted = v * std::exp2(settings_.contrast / 100.0);
        const double light = kGrey * std::exp2(contrasted);
        const double shown = settings_.brightEnd == BrightEnd::Roll ? rolledOff(light)
                             : end_ == PlainEnd::Endless            ? light
                                                                    : std::min(1.0, light);
        return std::pow(shown, 1.0 / settings_.gamma);
    }
    constexpr double kMost = 60.0; // stops: far beyond, it is white
    const double u = v > 0.0 ? std::min(bright_(v), kMost) : slope_ * v;
    return withToe(photographic(kGreyOdds * std::exp2(u)), toe_);
}

double ToneCurve::zoned(double luminance) const
{
    return zones_ && luminance < 1.0 ? luminanceOf((*zones_)(lightnessOf(luminance))) : luminance;
}

double ToneCurve::luminance(double ev) const
{
    return zoned(base(ev));
}

double ToneCurve::lightness(double ev) const
{
    return lightnessOf(luminance(ev));
}

double whiteShare(const ToneSettings &settings, const ToneStart &start)
{
    if (!isSigmoid(settings) || start.tail.empty())
        return 0.0;
    struct Seen {
        double share, ev; ///< so many of the pixels lie above it
    };
    std::vector<Seen> seen;
    const std::vector<double> quantiles = quantilesOf(start);
    for (size_t q = 0; q < quantiles.size(); ++q)
        seen.push_back({1.0 - (double(q) + 0.5) / double(quantiles.size()), quantiles[q]});
    for (size_t i = 0; i < start.tail.size(); ++i)
        seen.push_back({kTailShares[i], start.tail[i]});
    const ToneCurve curve(settings, start);
    const auto shown = [&](const Seen &s) { return curve.luminance(s.ev) * colourOf(start); };
    const size_t first =
        size_t(std::ranges::find_if(seen, [&](const Seen &s) { return shown(s) >= kWhite; }) - seen.begin());
    if (first == seen.size())
        return 0.0;
    if (first == 0)
        return 1.0;
    const Seen &below = seen[first - 1], &above = seen[first];
    const double part = (kWhite - shown(below)) / std::max(1e-9, shown(above) - shown(below));
    return std::lerp(below.share, above.share, std::clamp(part, 0.0, 1.0));
}

double shoulderThatHolds(const ToneSettings &settings, const ToneStart &start)
{
    ToneSettings own = settings;
    for (; own.shoulder < 100.0 && whiteShare(own, start) > 0.0; own.shoulder = std::floor(own.shoulder) + 1.0)
        ;
    return own.shoulder;
}

std::array<double, 5> zoneEvs(const ToneStart &start)
{
    const ToneCurve curve(automaticTone(start), start);
    std::array<double, 5> out;
    for (size_t k = 0; k < out.size(); ++k) {
        double low = start.lowEv - 20.0, high = start.peakEv + 20.0;
        for (int i = 0; i < 60; ++i) {
            const double middle = (low + high) / 2;
            (curve.lightness(middle) < kZoneLightness[k] ? low : high) = middle;
        }
        out[k] = high;
    }
    return out;
}

double zoneValueFor(const ToneSettings &settings, const ToneStart &start, int index, double lightness)
{
    const double ev = zoneEvs(start)[size_t(index)];
    ToneSettings trial = settings;
    double low = -100.0, high = 100.0;
    for (int i = 0; i < 40; ++i) {
        trial.*kZones[size_t(index)] = (low + high) / 2;
        (ToneCurve(trial, start).lightness(ev) < lightness ? low : high) = trial.*kZones[size_t(index)];
    }
    return (low + high) / 2;
}

} // namespace yolk
