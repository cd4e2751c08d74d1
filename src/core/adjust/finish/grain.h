// Grain as of film.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct GrainSettings {
    double amount = 0.0, size = 25.0;
    bool operator==(const GrainSettings &) const = default;
};

constexpr bool isGrainy(const GrainSettings &settings)
{
    return settings.amount != 0.0;
}

struct Grain {
    using Settings = GrainSettings;
    static constexpr std::string_view kKey = "grain";
    static constexpr Light kActsOn = Light::Display;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"amount", &Settings::amount, 0, 100, 0, 1, 0, "", "Grain", "Grain strength",
                            "Lays grain over the picture, strongest in middle tones, the same at any size of output"},
        RealField<Settings>{"size", &Settings::size, 0, 100, 25, 1, 0, "", "Grain", "Grain size",
                            "How coarse it is, against the picture", isGrainy},
    };
    /// The square root e of luminance gets 0.1 a 4 e (1 - e) n: a the amount over 100, n of mean 0 and deviation 1
    /// (smooth noise on a lattice of 0.03 to 0.15 % of the longer side of the frame, and on one of half that); colours
    /// keep their ratios. Where a pixel is larger than the lattice, the lattice is as large as the pixel and n that much
    /// weaker, as the mean of many grains is. Source: [Perlin2002] for the blend between lattice points.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
