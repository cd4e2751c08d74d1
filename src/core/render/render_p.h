// Shared by the files of the pipeline.
#pragma once

#include "base/hash.h"
#include "render/render.h"

namespace yolk {

/// Pixels of what may be kept for the next slider: larger results are made anew.
inline constexpr double kViewPixels = 3e6;

/// Pixels of a row through a matrix; `to` may be `from`.
void turnRow(const Matrix3 &matrix, const float *const from[3], int width, float *const to[3]);
/// Every pixel of a picture of three planes, in place.
void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx);

/// The region of a request, never empty. Throws ArgumentError.
RealRect regionOf(const RenderRequest &request, const Frame &reference);
/// A region in pixels of the decode, and the size that it is to have.
struct PlacedView {
    RealRect region;
    int width, height;
    bool averages() const { return region.x1 - region.x0 > width || region.y1 - region.y0 > height; }
};
PlacedView placedView(const RenderRequest &request, const RealRect &region);

/// How the linear channels of a frame make luminance.
Vector3 luminanceRow(const Matrix3 &toRec2020);
/// The knee of LightCode that suits the scene: its code bends at middle grey about as the automatic start's curve does.
double kneeOf(const Measured &measured);

} // namespace yolk
