// What lies between known values: as smooth as a soap film.
#pragma once

#include "image/image.h"

namespace yolk {

/// Fills the pixels of a plane that are not known (`known` 0) with the harmonic function between those that are, to
/// within some thousandths of their range: coarse levels first, some sweeps on each. Beyond the edges nothing pulls.
/// Without a known pixel all become 0. Shapes: both of one size.
/// Source: [Perez2003], equation 4 with the difference of both pictures on the rim.
void fillSmoothly(ImageView<float> values, ImageView<const uint8_t> known);

} // namespace yolk
