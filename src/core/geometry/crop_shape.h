// Crops of a given shape, and how they are dragged.
#pragma once

#include "geometry/picture_map.h"

#include <optional>

namespace yolk {

/// Width over height that the settings ask of a crop, in a picture's plane of this size: lying, or upright where the
/// crop stands upright. Empty: none.
std::optional<double> shapeOf(const GeometrySettings &settings, int planeWidth, int planeHeight);

/// The largest crop of that width over height about the middle of the present one, in a picture's plane of this size; it
/// comes in where it would reach over the plane's edge.
GeometrySettings croppedTo(const GeometrySettings &settings, double widthOverHeight, int planeWidth, int planeHeight);

/// All of the plane.
GeometrySettings uncropped(const GeometrySettings &settings);

/// What of a crop is held: -1 its left or upper side, 1 its right or lower one, 0 neither; both 0: all of it.
struct CropGrip {
    int across = 0, down = 0;
    bool operator==(const CropGrip &) const = default;
};

/// The settings with the crop that was `from`, pixels of the plane, when it was taken at a grip and moved by so many pixels.
/// It keeps its shape where the settings ask for one, the side across stays where it is; it stays in the plane and, where
/// corners are cut, on what `map` shows of `frame`, and 16 pixels are the least.
GeometrySettings cropDragged(const GeometrySettings &settings, const RealRect &from, CropGrip grip, Point by,
                             const PictureMap &map, const RealRect &frame);

} // namespace yolk
