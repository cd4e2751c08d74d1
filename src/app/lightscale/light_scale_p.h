// Shared by what the light scale does and what it paints.
#pragma once

#include "lightscale/light_scale.h"

namespace yolk::app {

inline constexpr double kLeft = 172.0, kRight = 16.0, kTop = 8.0, kAxisHeight = 22.0; // round the plot, logical pixels

/// "Blacks" to "Whites".
QString zoneName(int zone);

} // namespace yolk::app
