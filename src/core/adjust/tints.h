// A colour for the lights and one for the darks.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct TintSettings {
    double lightsHue = 70.0, lights = 0.0, darksHue = 250.0, darks = 0.0, balance = 0.0;
    bool operator==(const TintSettings &) const = default;
};

struct Tints {
    using Settings = TintSettings;
    static constexpr std::string_view kKey = "tints";
    static constexpr Light kActsOn = Light::Display;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"lights", &Settings::lights, 0, 100, 0, 1, 0, "", "Tints", "Lights",
                            "How strongly the lights are tinted, in percent", nullptr, true},
        RealField<Settings>{"lights_hue", &Settings::lightsHue, 0, 360, 70, 1, 0, "\u00b0", "Tints", "Hue of lights",
                            "Their colour, as it lies on the ring", [](const Settings &s) { return s.lights != 0.0; }},
        RealField<Settings>{"darks", &Settings::darks, 0, 100, 0, 1, 0, "", "Tints", "Darks",
                            "How strongly the darks are tinted, in percent", nullptr, true},
        RealField<Settings>{"darks_hue", &Settings::darksHue, 0, 360, 250, 1, 0, "\u00b0", "Tints", "Hue of darks",
                            "Their colour, as it lies on the ring", [](const Settings &s) { return s.darks != 0.0; }},
        RealField<Settings>{"balance", &Settings::balance, -100, 100, 0, 1, 0, "", "Tints", "Balance",
                            "Where darks turn into lights: above 0 more of the picture takes the colour of the lights",
                            [](const Settings &s) { return s.lights != 0.0 || s.darks != 0.0; }},
    };
    /// Adds up to a chroma of 0.1 of Oklab in the direction of each hue, shared by lightness L: the lights take
    /// s((L - M) / 0.7 + 0.5), s the smooth step and M = 0.55 - 0.35 b, b the balance over 100; the darks the rest. Below
    /// an L of 0.2 and above 0.9 the tint fades towards black and white, which stay.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
