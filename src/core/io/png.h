// PNG out; for PNG in see codec.h.
#pragma once

#include "io/tiff.h"

namespace yolk {

struct PngOptions {
    int bits = 16; ///< 8 or 16
    Alpha alpha = Alpha::None;
    double pixelsPerInch = 0.0; ///< 0: not said
};

/// RGB, or RGB and alpha: rows of 3 or 4 codes a pixel, 0 .. 2^bits - 1.
/// Throws ArgumentError (size, bits), OutputError. Leaves a partial file on error: write through AtomicFile.
void writePng(const std::string &path, int width, int height, std::span<const std::byte> profile,
              const PngOptions &options, const FillRow16 &fill);

} // namespace yolk
