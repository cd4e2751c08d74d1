// Shared by the files of the pipeline.
#pragma once

#include "base/hash.h"
#include "render/render.h"

namespace yolk {

/// Pixels of what may be kept for the next slider: larger results are made anew.
inline constexpr double kViewPixels = 3e6;

/// Turns every pixel, in place. Shapes: three planes.
void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx);

/// What sceneOf() depends on.
void hashScene(const Sources &sources, const Measured &measured, const Recipe &recipe, const RenderRequest &request,
               Hasher &hasher);

/// How the linear channels of a frame make luminance.
Vector3 luminanceRow(const Matrix3 &toRec2020);
/// The knee of LightCode that suits the scene: its code bends at middle grey about as the automatic start's curve does.
double kneeOf(const Measured &measured);

} // namespace yolk
