// Where an aligned frame does not show the same as the others.
#pragma once

#include "base/exec_context.h"
#include "frames/noise_model.h"
#include "image/image.h"

namespace yolk {

/// A frame on the reference's pixels.
struct AlignedFrame {
    ImageView<const uint16_t> codes;
    ImageView<const uint8_t> trust; ///< as in warp.h; empty: believed everywhere
    double exposure = 1.0;
    NoiseModel noise;
};

/// The trust of `frame`, lowered where it contradicts `known`: differences of all channels in units of what noise, 1.5 %
/// of response and a remaining shift of a twentieth of a pixel at edges allow, squared, their mean over 5 x 5 pixels;
/// above 2.4 it is not believed, below 1.5 in full. Light that clips in one must be at least so bright in the other. Places
/// that one of them does not show, or `known` is not believed at, do not count.
/// Shapes: codes three planes, trust one or empty, all of one width and height. Throws ArgumentError, Cancelled.
/// Threads: bands; the same bits for any runner. Memory: 1 byte a pixel.
/// Source: our own; the test is chi-square per degree of freedom. The limits
/// by what such a mean scatters by; from 1.0 to 1.8 and 1.5 to 3.6 they differ by less than
/// 0.1 dB in the mean of 8 hand-held worlds.
Image<uint8_t> doubted(const AlignedFrame &frame, const AlignedFrame &known, ExecContext &ctx);

} // namespace yolk
