// Saturation: all colours stronger or weaker.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct SaturationSettings {
    double saturation = 0.0;
    bool operator==(const SaturationSettings &) const = default;
};

struct Saturation {
    using Settings = SaturationSettings;
    static constexpr std::string_view kKey = "colour";
    static constexpr Light kActsOn = Light::Display;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"saturation", &Settings::saturation, -100, 100, 0, 1, 0, "", "Colour", "Saturation",
                            "Makes all colours stronger or weaker, in percent; -100 is black and white", nullptr, true},
    };
    /// Multiplies the Oklab chroma by 1 + s / 100: hue and lightness stay.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
