// The finished picture in the codes of files and screens.
#pragma once

#include "image/image.h"

#include <cstdint>
#include <span>

namespace yolk {

/// Display-linear [0, 1] to sRGB-coded values; NaN becomes 0. `out` has width * 3 interleaved samples.
void encodeRow16(ImageView<const float> display, int y, std::span<uint16_t> out);
void encodeRow8(ImageView<const float> display, int y, std::span<uint8_t> out);
/// The codes of encodeRow8() as 0xffRRGGBB, one value a pixel.
void encodeRowRgb32(ImageView<const float> display, int y, uint32_t *out);
/// 8 bits for files: rounded up or down by chance, so that the mean of many pixels is the true one and smooth light shows
/// no steps; the two ends stay clean. The same codes whenever it is asked for them.
/// Source: [Roberts1962] Picture coding using pseudo-random noise.
void ditherRow8(ImageView<const float> display, int y, std::span<uint8_t> out);

} // namespace yolk
