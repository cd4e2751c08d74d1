// Pixels through a matrix, a row or a picture at a time.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "image/image.h"

namespace yolk {

/// Pixels of a row through a matrix; `to` may be `from`.
void turnRow(const Matrix3 &matrix, const float *const from[3], int width, float *const to[3]);
/// Every pixel of a picture of three planes, in place.
void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx);

} // namespace yolk
