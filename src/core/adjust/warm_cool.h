// Warm and cool colours pushed from each other, or brought together.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct WarmCoolSettings {
    double apart = 0.0;
    bool operator==(const WarmCoolSettings &) const = default;
};

struct WarmCool {
    using Settings = WarmCoolSettings;
    static constexpr std::string_view kKey = "colour";
    static constexpr Light kActsOn = Light::Display;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"warm_cool", &Settings::apart, -100, 100, 0, 1, 0, "", "Colour", "Warm and cool apart",
                            "Pushes warm and cool colours from each other, in percent; below 0 it brings them together",
                            nullptr, true},
    };
    /// With t the part of a colour along the line in Oklab's plane on which white lights of 4000 and 10 000 K lie, adds
    /// 0.6 p t / (1 + (t / T0)^2) to it, p the setting over 100, T0 = 0.155: grey and lightness stay, what is warm stays
    /// warm and what is cool cool, and the result rises with t. Source: our own.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
