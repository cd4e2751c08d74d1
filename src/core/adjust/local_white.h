// A warmer or cooler light inside areas.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct LocalWhiteSettings {
    double temperature = 0.0, tint = 0.0;
    bool operator==(const LocalWhiteSettings &) const = default;
};

struct LocalWhite {
    using Settings = LocalWhiteSettings;
    static constexpr std::string_view kKey = "white";
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"temperature", &Settings::temperature, -100, 100, 0, 1, 0, "mired", "White", "Temperature",
                            "Warms (above 0) or cools the light, in mired: even steps for the eye", nullptr, true},
        RealField<Settings>{"tint", &Settings::tint, -60, 60, 0, 1, 0, "", "White", "Tint",
                            "Towards magenta above 0, towards green below", nullptr, true},
    };
    /// Multiplies R, G and B by exp2(t g + u h), g and h their change in stops per mired and per step of tint round D65, and
    /// then all three so that luminance stays. So it may as well stand after the tones, which go by luminance.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
