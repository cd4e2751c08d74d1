// Rendered scenes as the demo keeps them: the whole one once, and boxes in which something moves.
#pragma once

#include "image/image.h"

#include <string>

namespace yolk::demo {

/// A box in whole pixels, x right, y down.
struct Box {
    int x = 0, y = 0, width = 0, height = 0;
};

/// Half floats, lossy DWAA. What is read from the file is the truth, not what was written. Throws OutputError.
void writeTruth(const std::string &path, ImageView<const float> rgb);

/// Throws ArgumentError when the box does not lie within the image.
Image<float> cutOut(ImageView<const float> rgb, const Box &box);
/// Puts `part` over `rgb` with its corner at x, y. Throws ArgumentError when it does not fit.
void putOver(ImageView<float> rgb, ImageView<const float> part, int x, int y);

/// Where a thing or its shadow is, from two renders without randomness: 255 where a channel differs by more than a
/// thousandth of the larger of the two values, and at the neighbours, which hold some of it once edges are smooth.
Image<uint8_t> maskOf(ImageView<const float> with, ImageView<const float> without);
/// 8-bit grey PNG. Throws OutputError.
void writeMask(const std::string &path, ImageView<const uint8_t> mask);

} // namespace yolk::demo
