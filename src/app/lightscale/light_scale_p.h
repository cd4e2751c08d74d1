// Shared by what the light scale does and what it paints.
#pragma once

#include "lightscale/light_scale.h"

namespace yolk::app {

inline constexpr double kLeft = 172.0, kRight = 16.0, kTop = 8.0, kAxisHeight = 22.0; // round the plot, logical pixels

inline constexpr double kOutputWidth = 186.0, kOutputGap = 22.0; // of the output's histogram, beside the plot

/// "Blacks" to "Whites".
QString zoneName(int zone);

} // namespace yolk::app
