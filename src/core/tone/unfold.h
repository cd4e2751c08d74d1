// Light above white: what a tone curve folded into a display's range, given back.
#pragma once

#include "tone/output_light.h"
#include "tone/tone_settings.h"

namespace yolk {

/// Display light of a standard picture to that of an HDR one. With S(D) the scene light that a method's end shows as D
/// (odds D / (1 - D) under the photographic operator, D itself under plain exposure, the inverse of its roll-off),
/// f(D) = d log D / d log S and b where lights begin:
///   H = D                                  up to b
///   H = b (S(D) / S(b))^f(b)               above: the curve goes on as steeply, in stops, as it comes to b
/// and what would pass the peak runs softly into it: with r = H / b and R = peak / b, 1 + (R - 1)(1 - e^-((r-1)/(R-1))).
/// Monotone, with a continuous slope. Our choice; no published source.
class Unfold {
public:
    Unfold(const ToneSettings &settings, const HdrLights &lights);
    double operator()(double light) const;
    double begin() const { return begin_; }

private:
    double sceneOf(double light) const;
    ToneSettings settings_;
    double begin_, peak_, slope_, sceneAtBegin_;
};

} // namespace yolk
