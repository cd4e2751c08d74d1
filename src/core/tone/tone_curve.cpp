#include "tone/tone_curve.h"

#include "colour/transfer.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kGrey = 0.18;
constexpr double kGreyOdds = kGrey / (1.0 - kGrey); // m at v = 0: m / (1 + m) = 0.18
constexpr std::array<double, 5> kZoneLightness{10, 30, 50, 70, 90};
// Full travel of a zone in lightness: almost to its neighbour, and to 1 or 99 at the ends.
constexpr std::array<double, 5> kZoneDown{9, 18, 18, 18, 18}, kZoneUp{18, 18, 18, 18, 9};

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
    constexpr double kRollFrom = 0.5;
    return light <= kRollFrom ? light : 1.0 - (1.0 - kRollFrom) * std::exp((kRollFrom - light) / (1.0 - kRollFrom));
}

/// m of the photographic operator at v stops from middle grey.
double oddsAt(double v, double slope)
{
    return kGreyOdds * std::exp2(slope * v);
}

} // namespace

double photographic(double m, double whiteSquared)
{
    return std::min(1.0, m * (1.0 + m / whiteSquared) / (1.0 + m));
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

ToneCurve::ToneCurve(const ToneSettings &settings, const ToneStart &start) : settings_(settings)
{
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            assign(settings_, field, settings.*field.member, "tone." + std::string(field.key));
    });
    squeeze_ = settings.method == ToneMethod::Plain ? 1.0 : exponentOf(settings.range);
    slope_ = squeeze_ * std::exp2(settings.contrast / 100.0);
    constexpr double kShoulderStops = 2.0, kNeutralShoulder = 50.0;
    const double shoulder = kShoulderStops * (settings.shoulder - kNeutralShoulder) / kNeutralShoulder;
    const double white = oddsAt(start.peakEv + start.exposure + shoulder, slope_);
    whiteSquared_ = white * white;
    toe_ = toeOf(settings.toe);

    knots_.back() = values_.back() = 100.0;
    for (size_t k = 0; k < kZones.size(); ++k) {
        const double value = settings.*kZones[k] / 100.0;
        zonesNeutral_ = zonesNeutral_ && value == 0.0;
        knots_[k + 1] = kZoneLightness[k];
        // At least half a step of lightness between neighbours, whatever is asked of both.
        values_[k + 1] =
            std::max(values_[k] + 0.5, kZoneLightness[k] + value * (value < 0.0 ? kZoneDown[k] : kZoneUp[k]));
        values_[k + 1] = std::min(values_[k + 1], 100.0 - 0.5 * double(kZones.size() - k));
    }
    // Fritsch-Carlson tangents by harmonic means [FritschButland1984]; the ends take their secants.
    const auto secant = [&](size_t i) { return (values_[i + 1] - values_[i]) / (knots_[i + 1] - knots_[i]); };
    tangents_.front() = secant(0);
    tangents_.back() = secant(knots_.size() - 2);
    for (size_t i = 1; i + 1 < knots_.size(); ++i)
        tangents_[i] = 2.0 / (1.0 / secant(i - 1) + 1.0 / secant(i));
}

double ToneCurve::base(double ev) const
{
    const double v = ev + settings_.exposure;
    if (settings_.method == ToneMethod::Plain) {
        const double contrasted = v * std::exp2(settings_.contrast / 100.0);
        const double light = kGrey * std::exp2(contrasted);
        const double shown = settings_.brightEnd == BrightEnd::Roll ? rolledOff(light) : std::min(1.0, light);
        return std::pow(shown, 1.0 / settings_.gamma);
    }
    return withToe(photographic(oddsAt(v, slope_), whiteSquared_), toe_);
}

double ToneCurve::remapped(double lightness) const
{
    const double x = std::clamp(lightness, 0.0, 100.0);
    const size_t i =
        std::min<size_t>(size_t(std::ranges::upper_bound(knots_, x) - knots_.begin()), knots_.size() - 1) - 1;
    const double h = knots_[i + 1] - knots_[i], t = (x - knots_[i]) / h;
    const double a = values_[i], b = values_[i + 1], da = tangents_[i] * h, db = tangents_[i + 1] * h;
    return a + t * (da + t * (3 * (b - a) - 2 * da - db + t * (2 * (a - b) + da + db)));
}

double ToneCurve::zoned(double luminance) const
{
    return zonesNeutral_ ? luminance : luminanceOf(remapped(lightnessOf(luminance)));
}

double ToneCurve::luminance(double ev) const
{
    return zoned(base(ev));
}

double ToneCurve::lightness(double ev) const
{
    return lightnessOf(luminance(ev));
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
