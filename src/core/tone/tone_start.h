// What a scene says about its own tone, and the settings that follow from it.
#pragma once

#include "image/image.h"
#include "tone/tone_settings.h"

#include <vector>

namespace yolk {

/// Statistics of a merged scene in EV against 0.18.
struct ToneStart {
    double lowEv = -4.0;             ///< 1st percentile
    double roomEv = 0.0;             ///< mean of the 10 to 70 % quantiles: what is neither deep shadow nor a light
    double highEv = 2.0;             ///< 99th percentile
    double peakEv = 2.5;             ///< 99.9th percentile of what some frame holds: the brightest light to be shown
    double peakColour = 1.0;         ///< largest channel over luminance of the brightest light, in linear Rec. 709
    double texture = 0.6;            ///< stops: mean deviation within blocks of some 2 % of the longer side
    double exposure = 0.0;           ///< that the automatic start takes, see completed()
    std::vector<double> quantiles{}; ///< of equal shares of the pixels; empty: through the first three
    bool operator==(const ToneStart &) const = default;
};

/// Of a picture of the whole scene, linear Rec. 2020; looked at in at most 500 pixels along its longer side. Complete.
/// Throws ArgumentError (empty, planes).
ToneStart toneStartOf(ImageView<const float> scene);

/// Stops of the display for a stop of the scene, in middle tones, as the automatic start has it.
double slopeOf(const ToneStart &start);

/// The quantiles, or what stands for them.
std::vector<double> quantilesOf(const ToneStart &start);

/// With its exposure: the one that gives the room (the 10 to 70 % quantiles) a mean lightness of L* 44, under the other
/// automatic settings.
ToneStart completed(ToneStart start);

/// The settings that suit a scene: local detail; range (or contrast) as it takes to bring the 1st percentile from the
/// room's lightness down to L* 5, and toe for what is missing; detail is strengthened a little where the scene has little
/// and calmed where it has much. The bright end follows from the curve itself. `start` must be complete.
/// Source: percentiles as in [Reinhard2002] and [Reinhard2003]; the texture aimed at is that of natural pictures in
/// [Yeganeh2013].
ToneSettings automaticTone(const ToneStart &start);

} // namespace yolk
