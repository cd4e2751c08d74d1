// Less noise, where the merge has some.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct NoiseReductionSettings {
    double luminance = 0.0, colour = 0.0, detail = 50.0;
    bool operator==(const NoiseReductionSettings &) const = default;
};

constexpr bool isDenoised(const NoiseReductionSettings &settings)
{
    return settings.luminance != 0.0;
}

struct NoiseReduction {
    using Settings = NoiseReductionSettings;
    static constexpr std::string_view kKey = "noise";
    static constexpr Light kActsOn = Light::Scene;
    static constexpr bool kFinish = true;
    static constexpr double kLeastScale = 0.5; ///< smaller views do not show it
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"luminance", &Settings::luminance, 0, 100, 0, 1, 0, "", "Noise", "Luminance noise",
                            "Takes grain out where the merge has some, and nothing where it is clean; true from 50 % "
                            "of the picture's size on",
                            nullptr, true},
        RealField<Settings>{"colour", &Settings::colour, 0, 100, 0, 1, 0, "", "Noise", "Colour noise",
                            "The same of colour alone: blotches go, edges of colour stay", nullptr, true},
        RealField<Settings>{"detail", &Settings::detail, 0, 100, 50, 1, 0, "", "Noise", "Keep detail",
                            "How much of the finest detail stays, with its grain", isDenoised},
    };
    /// Scene light as log2(L + k), k four deviations of the darkest noise, as brightness and two colour differences in
    /// bands of size (denoise/bands.h), their coefficients shrunk by 1.5 (colour: 2) times the setting over 100 times the
    /// noise of the merge in that place and band, from the second band on as much coarser as that is. The two finest bands
    /// of brightness by up to 0.7 less, by detail. Set on worlds of seeds 1 to 12: 1.3 to 2.1 are the same within 0.2 dB.
    /// Where the noise of the picture is not known (a radiance file) it does nothing.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
