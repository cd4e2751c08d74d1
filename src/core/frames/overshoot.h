// What resampling leaves beside lamps in pictures that were merged elsewhere: rings of light below zero, seen as black.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

namespace yolk {

/// Pixels whose light, (R + 2 G + B) / 4, is below zero become the pixel at the lower quartile of the light above zero
/// in the 5 x 5 round them: what lies round the lamp, not the lamp. Only where the mean there is as far above zero as
/// what falls deepest is below, or the brightest is 32 times the lower quartile of all sizes and four times the deepest
/// (Lanczos-3 has 0.22 beside a star between two pixels). Noise about black falls as far as it rises: it stays but for
/// some pixel in ten thousand, as do colours beyond the primaries. Returns how many were filled.
/// Shapes: three planes. Throws ArgumentError, Cancelled. Threads: bands, the same bits for any runner. Memory: 20 bytes
/// a pixel that is filled.
long long fillOvershoot(Image<float> &radiance, ExecContext &ctx);

} // namespace yolk
