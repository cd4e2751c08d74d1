// The global tone methods as one curve from scene light (EV) to display light.
#pragma once

#include "base/exec_context.h"
#include "colour/icc.h"
#include "image/image.h"
#include "tone/tone_settings.h"

#include <array>
#include <vector>

namespace yolk {

/// 0 EV is luminance 0.18. NaN counts as black.
double evOfLuminance(double luminance);
double luminanceOfEv(double ev);

/// The start that suits a scene: exposure brings its log average to the key, range fits its 1st to 99th percentile into
/// 5.5 stops, toe brings the 1st percentile towards black. Source: [Reinhard2002] for white, [Reinhard2003] for the key.
ToneSettings automaticTone(const ToneStart &start);

/// The photographic operator m (1 + m / w^2) / (1 + m), at most 1. Source: [Reinhard2002] equation 4.
double photographic(double m, double whiteSquared);

/// From scene EV to display light. Monotone.
/// Global: m = a * 2^(n v), D = m (1 + m / w^2) / (1 + m), with v = EV + exposure, a such that v = 0 gives 0.18 for a
///         distant white, n from range and contrast, w the scene's peak at the automatic exposure: equation 4 of
///         [Reinhard2002] with a slope; then the toe D^2 (1 + t) / (D + t).
/// Plain:  D = min(1, 0.18 * 2^v)^(1 / gamma), v scaled round 0 by contrast.
/// Zones:  a monotone cubic (Fritsch-Carlson) through five knots of display lightness at 10, 30, 50, 70 and 90.
class ToneCurve {
public:
    /// Throws ArgumentError when a setting is out of its range (kToneFields).
    ToneCurve(const ToneSettings &settings, const ToneStart &start);

    double luminance(double ev) const; ///< display-linear, 0..1
    double lightness(double ev) const; ///< L*, 0..100

private:
    double base(double ev) const;
    double remapped(double lightness) const;

    ToneSettings settings_;
    double slope_ = 1.0, whiteSquared_ = 1.0, toe_ = 0.0;
    std::array<double, 7> knots_{}, values_{}, tangents_{};
    bool zonesNeutral_ = true;
};

/// Where the five zone handles stand: the EVs at which the automatic curve gives lightness 10, 30, 50, 70 and 90.
std::array<double, 5> zoneEvs(const ToneStart &start);

/// The value of zone `index` that brings the curve to `lightness` at the handle's EV, as near as its range allows.
double zoneValueFor(const ToneSettings &settings, const ToneStart &start, int index, double lightness);

/// Applies the curve to luminance and keeps the ratios of the channels; what falls out of the output space is brought
/// in with its Oklab hue (colour/oklab.h).
/// Shapes:  linear Rec. 2020, three planes in; display-linear RGB of `space` in [0, 1], three planes out.
/// Throws:  ArgumentError (shape), Cancelled.
/// NaN and infinities become black.
/// Threads: bands of rows; the same bits for any runner. Memory: the result.
Image<float> toneMap(ImageView<const float> scene, const ToneCurve &curve, OutputSpace space, ExecContext &ctx);

} // namespace yolk
