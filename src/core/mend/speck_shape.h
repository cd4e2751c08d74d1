// How a speck of dust dims light, and how that is given back.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "mend/mend_settings.h"

namespace yolk {

/// What a speck takes at a place, of what it takes in its middle: (1 - r^2 / R^2)^2, by the square of r / R.
inline double speckShape(double squared)
{
    const double inner = squared < 1.0 ? 1.0 - squared : 0.0;
    return inner * inner;
}

/// Whether it is known by how much it dims.
inline bool isDepthKnown(const DustSpot &spot)
{
    return spot.on && spot.depth > 0.0;
}

/// Gives back what specks of known depth took of a frame's light. Clipped samples stay so.
/// Shapes: linear codes (io/linear_codes.h), upright, of any planes, decoded at 1/reduction; spots in pixels of the whole
/// frame. Threads: one.
void giveBackLight(Image<uint16_t> &codes, const SharedList<DustSpot> &dust, int reduction);

} // namespace yolk
