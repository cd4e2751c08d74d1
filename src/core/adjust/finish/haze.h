// Haze taken away, or added.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct HazeSettings {
    double strength = 0.0, reach = 100.0;
    bool operator==(const HazeSettings &) const = default;
};

constexpr bool isHazy(const HazeSettings &settings)
{
    return settings.strength != 0.0;
}

struct Haze {
    using Settings = HazeSettings;
    static constexpr std::string_view kKey = "haze";
    static constexpr Light kActsOn = Light::Scene;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"strength", &Settings::strength, -100, 100, 0, 1, 0, "", "Haze", "Remove haze",
                            "Takes away the veil of air that lies before what is far, in percent of it; below 0 it "
                            "thickens it",
                            nullptr, true},
        RealField<Settings>{"reach", &Settings::reach, 0, 100, 100, 1, 0, "", "Haze", "Reach",
                            "How thin a veil is still taken away; at 0 only that before the farthest things", isHazy},
    };
    /// Light I = J t + A (1 - t): J what is seen without air, t the share of it that comes through, A the light of the
    /// air. A is the mean of the hundredth of the picture whose darkest channel within a patch is brightest; 1 - t is
    /// 0.98 of the darkest channel of I / A within a patch, brought to edges by a guided filter over log light. Where
    /// some veil v = 1 - t is taken away, J = (I - s v A) / (1 - s v), 1 - s v at least 0.1; v is at most 0.98 of the
    /// darkest channel of I / A at the pixel itself, which can hold no more air than that. Thin veils fade out below a
    /// share that falls with the reach. Below 0, air of |s| times the depth -log2(t) + 0.2, and twice that, is added,
    /// as bright as what lies round a place (as the veil of Glow). Dots count for nothing, light over A counts as A.
    /// Source: [He2009] for the darkest channel, [He2013] for the filter.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
