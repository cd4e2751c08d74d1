// A deeper sky.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <tuple>

namespace yolk {

struct SkySettings {
    double deep = 0.0;
    bool operator==(const SkySettings &) const = default;
};

struct DeepSky {
    using Settings = SkySettings;
    static constexpr std::string_view kKey = "sky";
    static constexpr Light kActsOn = Light::Display;
    static constexpr bool kFinish = true;
    static constexpr auto kFields = std::tuple{
        RealField<Settings>{"deep", &Settings::deep, 0, 100, 0, 1, 0, "", "Mood", "Deep sky",
                            "Darkens clear sky by its own hue; clouds and all that is not blue stay", nullptr, true},
    };
    /// Oklab L, a and b times 1 - 0.35 d w: d the setting over 100, w = (1 - (h / 50)^2)^3 within 50 degrees h of hue
    /// 245, times C^4 / (C^4 + 0.03^4) of chroma C, times a smooth step of L from 0.3 to 0.6. The hue is compared by the
    /// squared chord on the unit circle in place of the angle. Source: our own; clear skies lie at 230 to 260 degrees of
    /// Oklab: common practice, no published source.
    static AdjustmentPtr make(const Varied<Settings> &settings);
};

} // namespace yolk
