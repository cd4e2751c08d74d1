// Strokes of a brush as pixels.
#pragma once

#include "areas/area.h"
#include "image/image.h"

namespace yolk {

/// Of a part of a frame; 0 beyond it.
struct StrokeRaster {
    double step = 1.0;      ///< pixels of the reference frame in one of the raster
    Rect area{};            ///< in raster pixels
    Image<uint16_t> mask{}; ///< 0 to 65535
    Image<uint16_t> core{}; ///< the same of what lies along the middle of strokes: what was surely meant
    double reach = 0.0;     ///< radius of the widest stroke, pixels of the reference frame
    size_t bytes() const { return mask.bytes() + core.bytes(); }
};

/// Size of a raster's pixel for a frame: at most 2048 of them lie along its longer side.
double rasterStep(int width, int height);

/// `before` with one stroke more, whose points are pixels of the reference frame. A stroke covers flow * f, where f is 1
/// up to (1 - feather) of its radius and falls to 0 at the radius as a smooth step; where it crosses itself it counts once.
/// What is covered to s becomes m + s (1 - m), or m (1 - s) where it erases; with `buildsUp` m + s / kBuildUpSteps,
/// or less by that, within [0, 1]. So any run of strokes gives the same bits, whichever of them were there before.
StrokeRaster withStroke(const StrokeRaster &before, const Stroke &stroke, bool buildsUp);

} // namespace yolk
