// The global tone methods as one curve from scene light (EV) to display light.
#pragma once

#include "base/monotone_spline.h"
#include "tone/tone_start.h"

#include <array>
#include <optional>
#include <vector>

namespace yolk {

/// 0 EV is luminance 0.18. NaN counts as black.
double evOfLuminance(double luminance);
double luminanceOfEv(double ev);

/// The photographic operator o / (1 + o). Source: [Reinhard2002] equation 3.
double photographic(double odds);

/// How stops over middle grey are squeezed (or stretched) so that the brightest light lands where it should.
class BrightBend {
public:
    BrightBend() = default;
    /// Rises from 0 with `slope`, meets `wanted` at `reach` stops where a slope up to kSteepest there allows it.
    BrightBend(double slope, double reach, double wanted);
    /// n c ln(1 + x / c), n c (e^(x / c) - 1) or n x.
    double operator()(double x) const;

private:
    double slope_ = 1.0, bend_ = 0.0; ///< 1 / c: positive squeezes, negative stretches
};

/// Display light up to which Roll off leaves light as it is.
inline constexpr double kRollFrom = 0.5;

/// What plain exposure makes of light above white: the end that was chosen, or none, for what is to be unfolded.
enum class PlainEnd { Chosen, Endless };

/// From scene EV to display light. Monotone.
/// Global: D = o / (1 + o), o = a 2^u: the photographic operator of [Reinhard2002], equation 3, with
///         v = EV + exposure, a such that v = 0 gives 0.18; u = n v below, n from range and contrast; above, u is bent
///         (BrightBend) so that the brightest light of the scene, at the automatic exposure, ends a little below white
///         in its own colour, by the shoulder more or less so; then the toe D^2 (1 + t) / (D + t).
/// Local:  the same for large even areas, a little darker at its end, where detail needs room. Blend: the same as
///         global; blended exposures follow it only roughly (tone/fusion.h).
/// Plain:  D = min(1, 0.18 * 2^v)^(1 / gamma), v scaled round 0 by contrast; or rolled off, from half the display on.
/// Zones:  a monotone cubic (Fritsch-Carlson) through five knots of display lightness at 10, 30, 50, 70 and 90.
class ToneCurve {
public:
    /// Throws ArgumentError when a setting is out of its range (kToneFields).
    ToneCurve(const ToneSettings &settings, const ToneStart &start, PlainEnd end = PlainEnd::Chosen);

    double luminance(double ev) const; ///< display-linear, 0..1
    double lightness(double ev) const; ///< L*, 0..100
    double withoutZones(double ev) const { return base(ev); }
    double zoned(double luminance) const; ///< what the zones make of display light
    /// Stops of the display in a stop of the scene, far below the shoulder; contrast left out.
    double slope() const { return squeeze_; }

private:
    double base(double ev) const;

    ToneSettings settings_;
    PlainEnd end_;
    double squeeze_ = 1.0, slope_ = 1.0, toe_ = 0.0;
    BrightBend bright_;
    std::optional<MonotoneSpline> zones_; ///< of lightness; nothing while neutral
};

/// Share of the pixels that some frame holds and that these settings show so light, in their largest channel, that nobody
/// tells them from white (code 250 of 255 and more); 0 under methods that go by no sigmoid.
double whiteShare(const ToneSettings &settings, const ToneStart &start);

/// The shoulder, not under the present one, at which the brightest of them stays below that; 100 where none is enough.
double shoulderThatHolds(const ToneSettings &settings, const ToneStart &start);

/// Where the five zone handles stand: the EVs at which the automatic curve gives lightness 10, 30, 50, 70 and 90.
std::array<double, 5> zoneEvs(const ToneStart &start);

/// The value of zone `index` that brings the curve to `lightness` at the handle's EV, as near as its range allows.
double zoneValueFor(const ToneSettings &settings, const ToneStart &start, int index, double lightness);

} // namespace yolk
