// What the photographer decides about tone, and what the scene itself says.
#pragma once

#include "base/fields.h"

#include <array>

namespace yolk {

enum class ToneMethod { Plain, Global };

inline constexpr std::array kToneMethods{
    Choice<ToneMethod>{ToneMethod::Plain, "plain", "Plain",
                       "Exposure and gamma, nothing else: what is too bright clips"},
    Choice<ToneMethod>{ToneMethod::Global, "global", "Global", "One curve for the whole picture brings its range down"},
};

/// Values are absolute; automaticTone() gives those that suit a scene.
struct ToneSettings {
    ToneMethod method = ToneMethod::Global;
    double range = 0.0;
    double toe = 0.0;
    double gamma = 1.0;
    double exposure = 0.0;
    double contrast = 0.0;
    double whites = 0.0, highlights = 0.0, middle = 0.0, shadows = 0.0, blacks = 0.0;
    bool operator==(const ToneSettings &) const = default;
};

inline constexpr auto kToneFields = std::tuple{
    ChoiceField<ToneSettings, ToneMethod>{"method", &ToneSettings::method, kToneMethods, "Method", "Method",
                                          "How the range of the scene is brought into that of a display"},
    RealField<ToneSettings>{
        "range", &ToneSettings::range, 0, 100, 0, 1, 0, "", "Method", "Range",
        "How much of the scene's range is squeezed into the display, in percent; 0 squeezes nothing"},
    RealField<ToneSettings>{"toe", &ToneSettings::toe, 0, 100, 0, 1, 0, "", "Method", "Toe",
                            "How far the darkest tones are drawn down to black, in percent"},
    RealField<ToneSettings>{"gamma", &ToneSettings::gamma, 0.4, 2.5, 1, 0.05, 2, "", "Method", "Gamma",
                            "Brightens (above 1) or darkens (below 1) the middle tones; black and white stay"},
    RealField<ToneSettings>{"exposure", &ToneSettings::exposure, -12, 12, 0, 0.05, 2, "EV", "Brightness", "Exposure",
                            "Makes the whole picture brighter or darker, in stops of light"},
    RealField<ToneSettings>{"contrast", &ToneSettings::contrast, -100, 100, 0, 1, 0, "", "Brightness", "Contrast",
                            "Steeper or flatter tones round the middle grey, in percent"},
    RealField<ToneSettings>{"whites", &ToneSettings::whites, -100, 100, 0, 1, 0, "", "Zones", "Whites",
                            "Lightens or darkens the lightest tones, in percent of their room"},
    RealField<ToneSettings>{"highlights", &ToneSettings::highlights, -100, 100, 0, 1, 0, "", "Zones", "Highlights",
                            "Lightens or darkens the light tones, in percent of their room"},
    RealField<ToneSettings>{"middle", &ToneSettings::middle, -100, 100, 0, 1, 0, "", "Zones", "Middle",
                            "Lightens or darkens the middle tones, in percent of their room"},
    RealField<ToneSettings>{"shadows", &ToneSettings::shadows, -100, 100, 0, 1, 0, "", "Zones", "Shadows",
                            "Lightens or darkens the dark tones, in percent of their room"},
    RealField<ToneSettings>{"blacks", &ToneSettings::blacks, -100, 100, 0, 1, 0, "", "Zones", "Blacks",
                            "Lightens or darkens the darkest tones, in percent of their room"},
};

/// The zone members, dark to bright: the order of the handles on the light scale.
inline constexpr std::array<double ToneSettings::*, 5> kZones{&ToneSettings::blacks, &ToneSettings::shadows,
                                                              &ToneSettings::middle, &ToneSettings::highlights,
                                                              &ToneSettings::whites};

/// Luminance statistics of a merged scene in EV against 0.18, from which the automatic start follows.
struct ToneStart {
    double lowEv = -4.0;    ///< 1st percentile
    double averageEv = 0.0; ///< log average between the 1st and the 99th percentile
    double highEv = 2.0;    ///< 99th percentile
    double peakEv = 2.5;    ///< 99.95th percentile
    bool operator==(const ToneStart &) const = default;
};

} // namespace yolk
