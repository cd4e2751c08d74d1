// Verticals and horizontals by hand: a place of the picture is pulled to where it should be.
#pragma once

#include "geometry/picture_map.h"

namespace yolk {

/// The settings under which `place`, pixels of a frame of this size, comes to lie at `to` of the picture's plane, as far as the
/// camera can be turned for it: tilt brings it there from left to right, swing from above to below, each by itself.
/// Beside the middle lines, where one of both does not move it, that one stays. Strength becomes 100 with what acted.
/// Throws ArgumentError (size).
GeometrySettings pulled(const GeometrySettings &settings, Point place, Point to, int width, int height,
                        const Optics &optics);

} // namespace yolk
