// Masks of single shapes.
#pragma once

#include "areas/area.h"
#include "areas/edge_model.h"
#include "areas/light_features.h"
#include "areas/stroke_raster.h"
#include "image/parameter.h"

#include <memory>

namespace yolk {

/// A mask as a function of the place and of the light there. Thread-safe.
class ShapeMask {
public:
    virtual ~ShapeMask() = default;
    /// Row `y` of a grid, `width` pixels: 0 to 1. The same at the same place and light, whatever the tile.
    virtual void row(const PixelGrid &grid, int y, int width, const LightRow &light, float *mask) const = 0;
    virtual bool readsLight() const { return false; }
    /// Whether it is 0 in all pixels of some rows of a grid.
    virtual bool misses(const PixelGrid &grid, int width, int height) const
    {
        (void)grid, (void)width, (void)height;
        return false;
    }
};
using ShapeMaskPtr = std::shared_ptr<const ShapeMask>;

/// All of a picture: of a shape whose places are missing as well.
ShapeMaskPtr wholeMask();
/// 1 up to `from`, 0 from `to` on, a smooth step between, along the line through both. Where they are one place, whole.
ShapeMaskPtr gradientMask(Point from, Point to);
/// 1 round `middle`, 0 from the ellipse on that has `a` and `b` as the ends of two conjugate radii; the rim takes `feather`
/// percent of the way.
ShapeMaskPtr ovalMask(Point middle, Point a, Point b, double feather);
/// 1 where the EV of the light lies from `low` to `high`, 0 from `soft` stops beyond on.
ShapeMaskPtr stopsMask(double low, double high, double soft);
/// 1 at a hue of Oklab in degrees, (1 - (d / width)^2)^2 at d degrees from it; light of a chroma C of a lightness of 1 takes
/// C^2 / (C^2 + 0.03^2) of that, so that grey belongs to none.
ShapeMaskPtr hueMask(double hue, double width);
/// Of a raster, linear between its pixels.
ShapeMaskPtr strokesMask(std::shared_ptr<const StrokeRaster> raster);
ShapeMaskPtr strokeCoresMask(std::shared_ptr<const StrokeRaster> raster);
ShapeMaskPtr inverted(ShapeMaskPtr mask);
ShapeMaskPtr keptToEdges(ShapeMaskPtr mask, std::shared_ptr<const EdgeModel> model);
/// One shape after another; the first one joins.
ShapeMaskPtr metMask(std::vector<std::pair<Meets, ShapeMaskPtr>> shapes);

} // namespace yolk
