// Pixels of a sensor that show the same in every frame, whatever the scene: hot ones, dead ones.
#pragma once

#include "io/codec.h"

#include <cstdint>
#include <span>
#include <vector>

namespace yolk {

/// Places on the sensor, x and y of its values as stored, in the order of rows.
struct SensorPlace {
    uint16_t x = 0, y = 0;
    auto operator<=>(const SensorPlace &) const = default;
};

/// Places of one frame that stand out from the eight nearest of their colour while the four pixels beside them, of other
/// colours, do not: light that comes through a lens falls on those as well.
/// Shapes: one plane behind an array of 2 x 2. Threads: one. More than 0.1 % of the pixels are no defects: then none.
std::vector<SensorPlace> standingOut(const Mosaic &mosaic);

/// Places that stand out in at least two frames and in half of them. One frame tells nothing.
std::vector<SensorPlace> defectsOf(std::span<const std::vector<SensorPlace> *const> frames);

/// Each becomes the median of the eight nearest of its colour that are no defects.
void replaceDefects(const Mosaic &mosaic, std::span<const SensorPlace> defects);

} // namespace yolk
