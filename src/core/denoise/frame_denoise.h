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

/// Takes out of the colours of a frame what noise leaves in patches too large for denoiseFrame(), in place: where a dark
/// frame stands alone and drowns, they come out green and magenta. A colour difference is expected to be the brightness
/// of its pixel times what it is of the brightness round it: the mean over cells of 16 pixels of the full frame, in a
/// Gaussian of four cells, each by the inverse of its variance (its noise, and a tenth that colours differ by). What it
/// is off that is shrunk as above; t is 3.5 times the noise of what those bands leave, twice that of white noise, as a
/// mosaic samples red and blue at a quarter of its pixels. Brightness and clipped values stay.
/// `codes`: as decoded at 1/reduction, after denoiseFrame(); `noise`: of a pixel of the full frame.
/// Shapes: three planes. Throws ArgumentError (planes), Cancelled. Threads: the same bits for any.
void calmColours(Image<uint16_t> &codes, const NoiseModel &noise, int reduction, ExecContext &ctx);

} // namespace yolk
