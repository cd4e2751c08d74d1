// What is done about how a lens draws.
#pragma once

#include "base/fields.h"

#include <tuple>

namespace yolk {

struct LensSettings {
    std::string name;         ///< as listedLenses() has it; empty: by the metadata
    bool straightens = false; ///< takes the distortion of the lens data back
    bool evens = false;       ///< the same of their vignetting
    double vignetting = 0.0;  ///< EV by which the corners are brightened beside that
    bool operator==(const LensSettings &) const = default;
};

inline constexpr auto kLensLightFields = std::tuple{
    TextField<LensSettings>{"name", &LensSettings::name},
    SwitchField<LensSettings>{"evens", &LensSettings::evens, "Lens", "Vignetting by lens data",
                              "Brightens what the lens darkened towards the corners, by what is listed for it"},
    RealField<LensSettings>{"vignetting", &LensSettings::vignetting, -2, 2, 0, 0.05, 2, "EV", "Lens", "Vignetting",
                            "Brightens the corners of the frame, or darkens them below 0, before tones are mapped"},
};
inline constexpr auto kLensLineFields = std::tuple{
    SwitchField<LensSettings>{"straightens", &LensSettings::straightens, "Lens", "Distortion by lens data",
                              "Straightens what the lens bent, by what is listed for it"},
};

} // namespace yolk
