// What a scene says about its own tone, and the settings that follow from it.
#pragma once

#include "image/image.h"
#include "tone/tone_settings.h"

#include <array>
#include <functional>
#include <optional>
#include <vector>

namespace yolk {

/// Statistics of a merged scene in EV against 0.18.
struct ToneStart {
    double lowEv = -4.0;             ///< 1st percentile
    double roomEv = 0.0;             ///< mean of the 10 to 70 % quantiles: what is neither deep shadow nor a light
    double highEv = 2.0;             ///< 99th percentile
    double peakEv = 2.5;             ///< 99.9th percentile of what some frame holds: the brightest light to be shown
    double peakColour = 1.0;         ///< largest channel over luminance of the brightest light, in linear Rec. 709
    double exposure = 0.0;           ///< that the automatic start takes, see completed()
    double roomLightness = 44.0;     ///< L* that it shows the room with
    std::vector<double> quantiles{}; ///< of equal shares of the pixels; empty: through the first three
    std::vector<double> noise{};     ///< of a pixel's light at each quantile, as a share of it; empty: not known
    std::vector<double> tail{}; ///< EV that the shares kTailShares of what some frame holds lie above; empty: not known
    bool operator==(const ToneStart &) const = default;
};

/// Shares of the pixels; the last one is the brightest of all.
inline constexpr std::array kTailShares{0.001, 0.0005, 0.0002, 0.0001, 0.00005, 0.0};

/// L* of a room of so many cd/m2: 44, by night 30. Source: the border of day and night, some 3 cd/m2, is where the eye
/// leaves photopic vision, [CIE191] (from memory); the lightness of the night is our choice.
double roomLightnessOf(double luminance);

/// What is known of a scene beside its picture.
struct SceneFacts {
    std::optional<double> luminanceOfGrey{}; ///< cd/m2 that 0.18 stands for
    std::function<double(double light)>
        noise;                          ///< standard deviation of a pixel of the merge in full, as a share of light
    ImageView<const uint8_t> clipped{}; ///< of the whole scene, at any size: not 0 where no frame holds the pixel
};

/// Of a picture of the whole scene, linear Rec. 2020; looked at in at most 500 pixels along its longer side. Complete.
/// Throws ArgumentError (empty, planes).
ToneStart toneStartOf(ImageView<const float> scene, const SceneFacts &facts = {});

/// Stops of the display for a stop of the scene, in middle tones, as the automatic start has it.
double slopeOf(const ToneStart &start);

/// The quantiles, or what stands for them.
std::vector<double> quantilesOf(const ToneStart &start);

/// With its exposure: the one that gives the room (the 10 to 70 % quantiles) its lightness in the mean, under the other
/// automatic settings; less where noise would show there as grain of more than L* 4.
ToneStart completed(ToneStart start);

/// The settings that suit a scene: local detail; range (or contrast) as it takes to bring the 1st percentile from the
/// room's lightness down to L* 5, and toe for what is missing; detail stays as it is in the scene. The bright end follows from the curve itself. `start` must be complete.
/// Source: percentiles as in [Reinhard2002] and [Reinhard2003].
ToneSettings automaticTone(const ToneStart &start);

} // namespace yolk
