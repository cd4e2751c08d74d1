// Vibrance: stronger colours where they are weak.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct VibranceSettings {
    double vibrance = 0.0;
    bool operator==(const VibranceSettings &) const = default;
};

struct Vibrance {
    using Settings = VibranceSettings;
    static constexpr std::string_view kKey = "colour";
    static constexpr Light kActsOn = Light::Display;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"vibrance", &Settings::vibrance, -100, 100, 0, 1, 0, "", "Colour", "Vibrance",
                            "Makes weak colours stronger or weaker, in percent, and spares strong ones and skin",
                            nullptr, true},
    };
    /// Multiplies the Oklab chroma C by 1 + v s / (1 + (C / C0)^2), v the setting over 100, C0 half the chroma of the
    /// weakest corner of the sRGB cube (cyan, 0.155): hue and lightness stay, and for every v the result rises with C.
    /// s is 1, and 0.3 round the hue of skin (50 degrees; smoothly from 20 to 40 degrees beside it).
    /// Source: [Ottosson2020] for the space; the curve is our own. Skin of every tone lies at 40 to 65 degrees of Oklab:
    /// common practice, no published source.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
