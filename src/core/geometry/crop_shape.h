// Crops of a given shape.
#pragma once

#include "geometry/geometry_settings.h"

namespace yolk {

/// The largest crop of that width over height about the middle of the present one, in a picture's plane of this size; it
/// comes in where it would reach over the plane's edge.
GeometrySettings croppedTo(const GeometrySettings &settings, double widthOverHeight, int planeWidth, int planeHeight);

/// All of the plane.
GeometrySettings uncropped(const GeometrySettings &settings);

} // namespace yolk
