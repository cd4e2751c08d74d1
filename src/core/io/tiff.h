// TIFF out; for TIFF in see codec.h.
#pragma once

#include "io/jpeg.h"

namespace yolk {

/// 16-bit RGB TIFF, deflate with horizontal prediction. Throws ArgumentError (size), OutputError.
/// Leaves a partial file on error: write through AtomicFile.
void writeTiff(const std::string &path, int width, int height, std::span<const std::byte> profile,
               const FillRow16 &fill);

} // namespace yolk
