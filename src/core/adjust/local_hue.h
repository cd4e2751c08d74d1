// Colours inside areas turned into others.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct LocalHueSettings {
    double turn = 0.0;
    bool operator==(const LocalHueSettings &) const = default;
};

struct LocalHue {
    using Settings = LocalHueSettings;
    static constexpr std::string_view kKey = "hue";
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{
            "turn", &Settings::turn, -60, 60, 0, 1, 0, "\u00b0", "Colour", "Turn hue",
            "Turns colours into their neighbours: reds towards yellow above 0, towards blue below; with a "
            "shape of one hue only that one",
            nullptr, true},
    };
    /// Turns a and b of Oklab by so many degrees: lightness and chroma stay.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
