// Shared by the files of the pipeline.
#pragma once

#include "render/render.h"

namespace yolk {

/// Turns every pixel, in place. Shapes: three planes.
void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx);

} // namespace yolk
