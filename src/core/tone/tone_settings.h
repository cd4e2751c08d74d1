// What the photographer decides about tone, and what the scene itself says.
#pragma once

#include "base/fields.h"

#include <array>

namespace yolk {

enum class ToneMethod { Plain, Global, Local, Blend };
enum class BrightEnd { Clip, Roll };

inline constexpr std::array kToneMethods{
    Choice<ToneMethod>{ToneMethod::Plain, "plain", "Plain", "Plain exposure: exposure and gamma, nothing else"},
    Choice<ToneMethod>{ToneMethod::Global, "global", "Global",
                       "Global curve: one curve for the whole picture brings its range down"},
    Choice<ToneMethod>{ToneMethod::Local, "local", "Local",
                       "Local detail: the large differences of light are brought down, the detail on them is kept"},
    Choice<ToneMethod>{ToneMethod::Blend, "blend", "Blend",
                       "Blended exposures: every part of the picture from the exposures that show it best"},
};
inline constexpr std::array kBrightEnds{
    Choice<BrightEnd>{BrightEnd::Clip, "clip", "Clip", "What is brighter than the display is white"},
    Choice<BrightEnd>{BrightEnd::Roll, "roll", "Roll off", "The lightest tones run softly into white"},
};

/// Values are absolute; automaticTone() gives those that suit a scene.
struct ToneSettings {
    ToneMethod method = ToneMethod::Local;
    double range = 0.0;
    double localContrast = 0.0, localLights = 0.0, localDarks = 0.0, fineDetail = 0.0;
    double toe = 0.0, shoulder = 50.0;
    double gamma = 1.0;
    BrightEnd brightEnd = BrightEnd::Clip;
    double exposure = 0.0;
    double contrast = 0.0;
    double whites = 0.0, highlights = 0.0, middle = 0.0, shadows = 0.0, blacks = 0.0;
    bool operator==(const ToneSettings &) const = default;
};

constexpr bool isPlain(const ToneSettings &settings)
{
    return settings.method == ToneMethod::Plain;
}
constexpr bool isCompressed(const ToneSettings &settings)
{
    return !isPlain(settings);
}
/// The methods that go by one sigmoid.
constexpr bool isSigmoid(const ToneSettings &settings)
{
    return settings.method == ToneMethod::Global || settings.method == ToneMethod::Local;
}

inline constexpr auto kToneFields = std::tuple{
    ChoiceField<ToneSettings, ToneMethod>{"method", &ToneSettings::method, kToneMethods, "Method", "Method",
                                          "How the range of the scene is brought into that of a display"},
    RealField<ToneSettings>{
        "range", &ToneSettings::range, 0, 100, 0, 1, 0, "", "Method", "Range",
        "How much of the scene's range is squeezed into the display, in percent; 0 squeezes nothing", isCompressed},
    RealField<ToneSettings>{"toe", &ToneSettings::toe, 0, 100, 0, 1, 0, "", "Method", "Toe",
                            "How far the darkest tones are drawn down to black, in percent", isSigmoid},
    RealField<ToneSettings>{
        "shoulder", &ToneSettings::shoulder, 0, 100, 50, 1, 0, "", "Method", "Shoulder",
        "How light the lightest tones end: at 50 the brightest light that a frame holds stays just below "
        "white, below 50 it comes closer to it, above it stays further away",
        isSigmoid},
    RealField<ToneSettings>{"gamma", &ToneSettings::gamma, 0.4, 2.5, 1, 0.05, 2, "", "Method", "Gamma",
                            "Brightens (above 1) or darkens (below 1) the middle tones; black and white stay", isPlain},
    ChoiceField<ToneSettings, BrightEnd>{"bright_end", &ToneSettings::brightEnd, kBrightEnds, "Method", "Bright end",
                                         "What happens with light that is too bright for the display", isPlain},
    RealField<ToneSettings>{"exposure", &ToneSettings::exposure, -12, 12, 0, 0.05, 2, "EV", "Brightness", "Exposure",
                            "Makes the whole picture brighter or darker, in stops of light", nullptr, true},
    RealField<ToneSettings>{"contrast", &ToneSettings::contrast, -100, 100, 0, 1, 0, "", "Brightness", "Contrast",
                            "Steeper or flatter tones round the middle grey, in percent", nullptr, true},
    RealField<ToneSettings>{"whites", &ToneSettings::whites, -100, 100, 0, 1, 0, "", "Zones", "Whites",
                            "Lightens or darkens the lightest tones, in percent of their room", nullptr, true},
    RealField<ToneSettings>{"highlights", &ToneSettings::highlights, -100, 100, 0, 1, 0, "", "Zones", "Highlights",
                            "Lightens or darkens the light tones, in percent of their room", nullptr, true},
    RealField<ToneSettings>{"middle", &ToneSettings::middle, -100, 100, 0, 1, 0, "", "Zones", "Middle",
                            "Lightens or darkens the middle tones, in percent of their room", nullptr, true},
    RealField<ToneSettings>{"shadows", &ToneSettings::shadows, -100, 100, 0, 1, 0, "", "Zones", "Shadows",
                            "Lightens or darkens the dark tones, in percent of their room", nullptr, true},
    RealField<ToneSettings>{"blacks", &ToneSettings::blacks, -100, 100, 0, 1, 0, "", "Zones", "Blacks",
                            "Lightens or darkens the darkest tones, in percent of their room", nullptr, true},
    RealField<ToneSettings>{"local_contrast", &ToneSettings::localContrast, -100, 100, 0, 1, 0, "", "Detail",
                            "Local contrast",
                            "Strengthens or flattens the differences between neighbouring parts, in percent; at 0 they "
                            "stay as they were in the scene",
                            nullptr, true},
    RealField<ToneSettings>{"local_lights", &ToneSettings::localLights, -100, 100, 0, 1, 0, "", "Detail",
                            "In the lights", "More or less local contrast in the lights than elsewhere, in percent",
                            nullptr, true},
    RealField<ToneSettings>{"local_darks", &ToneSettings::localDarks, -100, 100, 0, 1, 0, "", "Detail", "In the darks",
                            "More or less local contrast in the darks than elsewhere, in percent", nullptr, true},
    RealField<ToneSettings>{
        "fine_detail", &ToneSettings::fineDetail, -100, 100, 0, 1, 0, "", "Detail", "Fine detail",
        "Strengthens or flattens grain, leaves and texture, in percent; at 0 they stay as they were "
        "in the scene",
        nullptr, true},
};

/// The zone members, dark to bright: the order of the handles on the light scale.
inline constexpr std::array<double ToneSettings::*, 5> kZones{&ToneSettings::blacks, &ToneSettings::shadows,
                                                              &ToneSettings::middle, &ToneSettings::highlights,
                                                              &ToneSettings::whites};

/// Whether local contrast or fine detail are other than in the scene.
constexpr bool movesDetail(const ToneSettings &settings)
{
    return settings.localContrast != 0.0 || settings.localLights != 0.0 || settings.localDarks != 0.0 ||
           settings.fineDetail != 0.0;
}

/// Whether a zone is moved.
constexpr bool movesZones(const ToneSettings &settings)
{
    for (const auto zone : kZones)
        if (settings.*zone != 0.0)
            return true;
    return false;
}

} // namespace yolk
