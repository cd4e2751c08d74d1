// What the photographer decides about the colours of the picture.
#pragma once

#include "base/fields.h"

#include <tuple>

namespace yolk {

struct ColourSettings {
    double saturation = 0.0;
    bool operator==(const ColourSettings &) const = default;
};

inline constexpr auto kColourFields = std::tuple{
    RealField<ColourSettings>{"saturation", &ColourSettings::saturation, -100, 100, 0, 1, 0, "", "Colour", "Saturation",
                              "Makes all colours stronger or weaker, in percent; -100 is black and white", nullptr,
                              true},
};

} // namespace yolk
