// The finished picture in the codes of screens: sRGB.
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

} // namespace yolk
