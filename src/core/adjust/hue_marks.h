// Marks on the hue ring: single colours turned, strengthened, lightened.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct HueMark {
    double hue = 0.0;    ///< of Oklab, degrees
    double width = 45.0; ///< degrees to either side, where its effect ends
    double turn = 0.0, saturation = 0.0, lightness = 0.0;
    bool operator==(const HueMark &) const = default;
};

inline constexpr auto kHueMarkFields = std::tuple{
    RealField<HueMark>{"hue", &HueMark::hue, 0, 360, 0, 1, 0, "\u00b0", "Hues", "Hue", "Which colour the mark is for"},
    RealField<HueMark>{"width", &HueMark::width, 10, 180, 45, 1, 0, "\u00b0", "Hues", "Width",
                       "How far from that hue the effect ends, to either side"},
    RealField<HueMark>{"turn", &HueMark::turn, -60, 60, 0, 1, 0, "\u00b0", "Hues", "Turn",
                       "Turns the hue: reds towards yellow above 0, towards blue below"},
    RealField<HueMark>{"saturation", &HueMark::saturation, -100, 100, 0, 1, 0, "", "Hues", "Strength",
                       "Makes the colour stronger or weaker, in percent"},
    RealField<HueMark>{"lightness", &HueMark::lightness, -50, 50, 0, 1, 0, "", "Hues", "Lightness",
                       "Makes the colour lighter or darker, in percent of its lightness"},
};

struct HueSettings {
    std::vector<HueMark> marks;
    bool operator==(const HueSettings &) const = default;
};

struct HueMarks {
    using Settings = HueSettings;
    static constexpr std::string_view kKey = "hues";
    static constexpr Light kActsOn = Light::Display;
    static constexpr size_t kMost = 12;
    static constexpr auto kFields = std::tuple{ListField<Settings, HueMark, decltype(kHueMarkFields)>{
        "marks", &Settings::marks, &kHueMarkFields, kMost, nullptr, "Hues"}};
    /// A colour d degrees from a mark of width w takes (1 - (d / w)^2)^3 of what the mark says: all at the mark, nothing
    /// from w on, smooth to second order. Lightness takes chroma along, as less light on a thing does. Of several marks
    /// turns add up, the others multiply. Colours of a chroma C take C^4 / (C^4 + 0.025^4) of it, so that grey and its
    /// noise stay. Source: our own.
    static AdjustmentPtr make(const Varied<Settings> &settings);
    /// How much of a mark a hue takes, 0 to 1.
    static double shareOf(const HueMark &mark, double hue);
};

} // namespace yolk
