// JPEG out; for JPEG in see codec.h.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// Fills row y of a picture that is being written: width * 3 interleaved samples.
using FillRow8 = std::function<void(int y, std::span<uint8_t> row)>;
using FillRow16 = std::function<void(int y, std::span<uint16_t> row)>;

/// Whether colour has half the resolution of light in both directions (4:2:0): below quality 90 when automatic.
enum class JpegChroma { Automatic, Full, Halved };

/// Baseline JPEG; at most 65500 pixels a side.
/// Throws ArgumentError (size, quality), OutputError. Leaves a partial file on error: write through AtomicFile.
void writeJpeg(const std::string &path, int width, int height, int quality, std::span<const std::byte> profile,
               const FillRow8 &fill, JpegChroma chroma = JpegChroma::Automatic);
/// The same into memory. Throws ArgumentError, Error.
std::vector<std::byte> encodeJpeg(int width, int height, int quality, std::span<const std::byte> profile,
                                  const FillRow8 &fill, JpegChroma chroma = JpegChroma::Automatic);

} // namespace yolk
