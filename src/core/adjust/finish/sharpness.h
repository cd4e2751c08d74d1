// Sharper fine detail.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct SharpnessSettings {
    double strength = 0.0, size = 1.0, spare = 30.0;
    bool operator==(const SharpnessSettings &) const = default;
};

constexpr bool isSharpened(const SharpnessSettings &settings)
{
    return settings.strength != 0.0;
}

struct Sharpness {
    using Settings = SharpnessSettings;
    static constexpr std::string_view kKey = "sharpness";
    static constexpr Light kActsOn = Light::Display;
    static constexpr bool kFinish = true;
    static constexpr double kLeastScale = 0.5; ///< smaller views do not show it
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"strength", &Settings::strength, 0, 100, 0, 1, 0, "", "Sharpness", "Sharpening",
                            "Makes fine detail clearer; true from 50 % of the picture's size on", nullptr, true},
        RealField<Settings>{"size", &Settings::size, 0.5, 3, 1, 0.1, 1, "px", "Sharpness", "Detail size",
                            "How large the detail is, in pixels of the full picture", isSharpened},
        RealField<Settings>{"spare", &Settings::spare, 0, 100, 30, 1, 0, "", "Sharpness", "Spare flat areas",
                            "How much contrast a place must have before it is sharpened: skies and noise stay",
                            isSharpened},
    };
    /// The square root e of luminance gets 2 s w (e - g): s the strength over 100, g a Gaussian of e of sigma `size`, w
    /// a smooth step of the contrast (largest less smallest of 3 x 3) from T to 3 T, T = 0.0006 times what is spared. It
    /// stays within the smallest and largest of 3 x 3, and a tenth of s times their difference beyond: so halos are
    /// limited. Colours keep their ratios. Source: unsharp masking; the limit is our own.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
