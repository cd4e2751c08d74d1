// Making pictures smaller: for views on the canvas, thumbnails and measuring.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

#include <functional>

namespace yolk {

/// A rectangle with fractions of pixels.
struct RealRect {
    double x0 = 0, y0 = 0, x1 = 0, y1 = 0;
    bool operator==(const RealRect &) const = default;
};

inline RealRect realOf(const Rect &r)
{
    return {double(r.x0), double(r.y0), double(r.x1), double(r.y1)};
}

/// Resamples `region` of the image (in its pixels, x right, y down, pixel centres at +0.5) to `width` x `height`:
/// separable triangle filter as wide as the reduction (linear interpolation where it enlarges), in linear light.
/// Shapes:  source at least 1 x 1; the result has its planes. The region may reach over the edge: edges repeat.
/// Throws:  ArgumentError (empty source, region or size), Cancelled.
/// NaN:     spreads to the pixels whose filter touches it.
/// Threads: bands of rows; the same bits for any runner.
/// Memory:  4 bytes x width x planes per source row that one band touches.
/// Source:  standard practice (tent filter), no published source.
Image<float> resample(ImageView<const float> source, RealRect region, int width, int height, ExecContext &ctx);

/// A picture whose rows are worked out as they are read: read() lets `rows` point at the planes' pixels of row y, of
/// which those from x0 to x1 are asked for; `scratch` is a row of all planes to work them out in. Called from several
/// threads at once.
struct RowSource {
    Shape shape;
    std::function<void(int y, int x0, int x1, ImageView<float> scratch, const float **rows)> read;
};
RowSource rowsOf(ImageView<const float> picture);
/// The same of such a picture.
Image<float> resample(const RowSource &source, RealRect region, int width, int height, ExecContext &ctx);

} // namespace yolk
