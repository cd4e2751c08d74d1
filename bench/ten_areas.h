// Ten areas of all kinds, for timing.
#pragma once

#include "areas/area.h"

#include <vector>

namespace yolk::bench {

/// On a picture of that size: gradients, ovals, two brushes (the fourth area has 50 strokes and keeps to edges), stops and a
/// hue, each with one to three settings.
std::vector<Area> tenAreas(int width, int height);
inline constexpr int kPaintedArea = 3;

} // namespace yolk::bench
