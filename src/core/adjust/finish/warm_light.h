// Warmth where the light comes from.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct WarmLightSettings {
    double warm = 0.0;
    bool operator==(const WarmLightSettings &) const = default;
};

struct WarmLight {
    using Settings = WarmLightSettings;
    static constexpr std::string_view kKey = "warm_light";
    static constexpr Light kActsOn = Light::Display;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"warm", &Settings::warm, 0, 100, 0, 1, 0, "", "Mood", "Warm low light",
                            "Warms the picture where its light comes from, as a low sun does", nullptr, true},
    };
    /// Multiplies R by 2^(0.4 k w) and B by 2^(-0.8 k w), and then all three so that luminance stays: k the setting
    /// over 100, w a smooth step of the light round a place (log2 of luminance through a Gaussian of 6 % of the longer
    /// side) from the median of the picture to its brightest hundredth. Source: our own.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
