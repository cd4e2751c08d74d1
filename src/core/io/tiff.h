// TIFF out; for TIFF in see codec.h.
#pragma once

#include "io/jpeg.h"

namespace yolk {

enum class Alpha { None, Unassociated };

/// 16-bit RGB TIFF, deflate with horizontal prediction; rows have a fourth value a pixel where there is alpha. Throws ArgumentError (size), OutputError.
/// Leaves a partial file on error: write through AtomicFile.
void writeTiff(const std::string &path, int width, int height, std::span<const std::byte> profile,
               const FillRow16 &fill, Alpha alpha = Alpha::None);

/// The same with 8 bits: rows of codes 0 .. 255.
void writeTiff8(const std::string &path, int width, int height, std::span<const std::byte> profile,
                const FillRow16 &fill, Alpha alpha = Alpha::None);

using FillRowReal = std::function<void(int y, std::span<float> row)>;
/// 32-bit floating point RGB TIFF, deflate with floating point prediction; the rest as above.
void writeRadianceTiff(const std::string &path, int width, int height, std::span<const std::byte> profile,
                       const FillRowReal &fill);

} // namespace yolk
