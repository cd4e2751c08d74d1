// Light above white: what a tone curve folded into a display's range, given back.
#pragma once

#include "tone/output_light.h"
#include "tone/tone_settings.h"

namespace yolk {

/// Display light of a standard picture to that of an HDR one. With S(D) the scene light that a method's end shows as D
/// (odds D / (1 - D) under the photographic operator, D itself under plain exposure, the inverse of its roll-off),
/// f = d log D / d log S at b, where lights begin, and u the stops of S over S(b):
///   H = D                                        up to b
///   log2 (H / b) = f u + (1 - f) w(u)            above, w = 0 at first and u - 1 from two stops on, a smooth step between
/// So the curve leaves b as steeply, in stops, as it comes there, and two stops on light is what the scene has. Above white H
/// runs softly into the peak P: 1 + (P - 1)(1 - exp(-(H - 1) / (P - 1))).
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
