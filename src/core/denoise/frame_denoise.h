// Noise reduction on single frames, before the merge.
#pragma once

#include "base/exec_context.h"
#include "frames/noise_model.h"
#include "image/image.h"

#include <cstdint>

namespace yolk {

/// Takes noise out of one frame, in place: values are made even in their noise by its model, turned into brightness and
/// two colour differences, split into kScales bands of size (undecimated wavelets, cubic spline) and each coefficient d
/// is shrunk by 1 - (t / d)^2, to nothing below t; t is 2.5 (colour: 3.5) times strength times the band's noise, which
/// is measured on the frame and bounded by the model. What stands out of the noise keeps its height; mean light is
/// kept.
/// `strength` 0 .. 1; 0 changes nothing. Clipped values stay as they are.
/// Shapes: linear codes, three planes. Throws ArgumentError (strength, planes), Cancelled.
/// Threads: tiles through ctx.runner, the same bits for any. Memory: 6 bytes a pixel.
/// Source: [MakitaloFoi2013] for making noise even, [StarckMurtagh1998] for the bands, the shrinkage of James and
/// Stein.
void denoiseFrame(Image<uint16_t> &codes, const NoiseModel &noise, double strength, ExecContext &ctx);

} // namespace yolk
