// What is asked of the pipeline: a part of the picture at a size.
#pragma once

#include "frames/frame.h"
#include "image/resample.h"
#include "render/set/sources.h"

namespace yolk {

/// Which part of the picture, how large, and from which decode.
struct RenderRequest {
    int reduction = 1;         ///< of the decode: 1 is the full picture, 2, 4, 8, ... a faster one
    RealRect region;           ///< in full-resolution pixels of the reference frame; empty: all
    int width = 0, height = 0; ///< of the result; 0: one pixel per decoded pixel of the region
    /// Made smaller after the tone stage, which then sees every pixel, and not before. What is written to files is
    /// exact; a view that must follow a slider is not, and differs from it in fine detail.
    bool exact = false;
};

/// Pixels of what may be kept for the next slider: larger results are made anew.
inline constexpr double kViewPixels = 3e6;

/// The region of a request, never empty. Throws ArgumentError.
RealRect regionOf(const RenderRequest &request, const Frame &reference);
/// A region in pixels of the decode, and the size that it is to have.
struct PlacedView {
    RealRect region;
    int width, height;
    bool averages() const { return region.x1 - region.x0 > width || region.y1 - region.y0 > height; }
};
PlacedView placedView(const RenderRequest &request, const RealRect &region);

/// The whole picture with some 150 000 pixels of the preview's decode: enough for percentiles.
RenderRequest measuringRequest(const Sources &sources, const Frame &reference);

} // namespace yolk
