// The global tone methods as one curve from scene light (EV) to display light.
#pragma once

#include "tone/tone_start.h"

#include <array>
#include <vector>

namespace yolk {

/// 0 EV is luminance 0.18. NaN counts as black.
double evOfLuminance(double luminance);
double luminanceOfEv(double ev);

/// The photographic operator m (1 + m / w^2) / (1 + m), at most 1. Source: [Reinhard2002] equation 4.
double photographic(double m, double whiteSquared);

/// From scene EV to display light. Monotone.
/// Global: m = a * 2^(n v), D = m (1 + m / w^2) / (1 + m), with v = EV + exposure, a such that v = 0 gives 0.18 for a
///         distant white, n from range and contrast, w the scene's peak at the automatic exposure: equation 4 of
///         [Reinhard2002] with a slope; then the toe D^2 (1 + t) / (D + t). The shoulder moves w by up to 2 stops.
/// Local:  the same, of the base layer. Blend: the same; blended exposures follow it only roughly (tone/fusion.h).
/// Plain:  D = min(1, 0.18 * 2^v)^(1 / gamma), v scaled round 0 by contrast; or rolled off, from half the display on.
/// Zones:  a monotone cubic (Fritsch-Carlson) through five knots of display lightness at 10, 30, 50, 70 and 90.
class ToneCurve {
public:
    /// Throws ArgumentError when a setting is out of its range (kToneFields).
    ToneCurve(const ToneSettings &settings, const ToneStart &start);

    double luminance(double ev) const; ///< display-linear, 0..1
    double lightness(double ev) const; ///< L*, 0..100
    double withoutZones(double ev) const { return base(ev); }
    double zoned(double luminance) const; ///< what the zones make of display light
    /// Stops of the display in a stop of the scene, far below the shoulder; contrast left out.
    double slope() const { return squeeze_; }

private:
    double base(double ev) const;
    double remapped(double lightness) const;

    ToneSettings settings_;
    double squeeze_ = 1.0, slope_ = 1.0, whiteSquared_ = 1.0, toe_ = 0.0;
    std::array<double, 7> knots_{}, values_{}, tangents_{};
    bool zonesNeutral_ = true;
};

/// Where the five zone handles stand: the EVs at which the automatic curve gives lightness 10, 30, 50, 70 and 90.
std::array<double, 5> zoneEvs(const ToneStart &start);

/// The value of zone `index` that brings the curve to `lightness` at the handle's EV, as near as its range allows.
double zoneValueFor(const ToneSettings &settings, const ToneStart &start, int index, double lightness);

} // namespace yolk
