// Shared by the files of the pipeline.
#pragma once

#include "base/hash.h"
#include "render/render.h"

namespace yolk {

/// Turns every pixel, in place. Shapes: three planes.
void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx);

/// What sceneOf() depends on.
void hashScene(const Sources &sources, const Measured &measured, const Recipe &recipe, const RenderRequest &request,
               Hasher &hasher);

} // namespace yolk
