// Light that spreads softly round what is bright, and a veil of mist.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct GlowSettings {
    double amount = 0.0, size = 30.0;
    double mist = 0.0;
    bool operator==(const GlowSettings &) const = default;
};

constexpr bool doesGlow(const GlowSettings &settings)
{
    return settings.amount != 0.0;
}

struct Glow {
    using Settings = GlowSettings;
    static constexpr std::string_view kKey = "glow";
    static constexpr Light kActsOn = Light::Scene;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"amount", &Settings::amount, 0, 100, 0, 1, 0, "", "Glow", "Glow strength",
                            "Spreads light softly round what is bright, as far as it really was: lamps glow, walls do "
                            "not",
                            nullptr, true},
        RealField<Settings>{"size", &Settings::size, 0, 100, 30, 1, 0, "", "Glow", "Glow size", "How far it spreads",
                            doesGlow},
        RealField<Settings>{"mist", &Settings::mist, 0, 100, 0, 1, 0, "", "Glow", "Mist",
                            "Lays a thin bright veil over everything, as light air in the morning does", nullptr, true},
    };
    /// Scene light I becomes (1 - k - m) I + k S + m V: k is 0.12 times the amount, m 0.4 times the mist, both over 100;
    /// S the mean of four Gaussians of I, the widest of sigma 3 to 30 % of the longer side by size, each next a third of
    /// the one before: it falls with about the square of the distance, as light scattered in an eye or a lens does.
    /// V is 2 to the power of log2 of luminance through a Gaussian of 20 %, without colour: a veil as bright as what
    /// lies round a place, so that a window does not blind its room.
    /// Source: [Vos2003] for the fall with distance, from memory; the numbers are our own.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
