// Black and white from a mix of the channels.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct MonochromeSettings {
    bool on = false;
    double red = 26.0, green = 68.0, blue = 6.0;
    bool operator==(const MonochromeSettings &) const = default;
};

constexpr bool isMonochrome(const MonochromeSettings &settings)
{
    return settings.on;
}

struct Monochrome {
    using Settings = MonochromeSettings;
    static constexpr std::string_view kKey = "monochrome";
    static constexpr Light kActsOn = Light::Display;
    static constexpr auto kFields = std::tuple{
        SwitchField<Settings>{"on", &Settings::on, "Monochrome", "Black and white",
                              "Shows the picture without colour, by a mix of its channels; tints colour it again"},
        RealField<Settings>{"red", &Settings::red, -100, 200, 26, 1, 0, "", "Monochrome", "Red",
                            "How light red things become, in percent of the mix", isMonochrome, true},
        RealField<Settings>{"green", &Settings::green, -100, 200, 68, 1, 0, "", "Monochrome", "Green",
                            "How light green things become, in percent of the mix", isMonochrome, true},
        RealField<Settings>{"blue", &Settings::blue, -100, 200, 6, 1, 0, "", "Monochrome", "Blue",
                            "How light blue things become, in percent of the mix", isMonochrome, true},
    };
    /// The sum of linear R, G and B of Rec. 2020, weighted, over the sum of the weights (at least 20 percent): grey stays
    /// as it is; not below 0. As they are, the weights are those of luminance. Source: [BT2020] for these.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
