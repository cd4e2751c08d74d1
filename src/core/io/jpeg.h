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

/// Baseline JPEG without chroma subsampling from quality 90 on, 2x2 below; at most 65535 pixels a side.
/// Throws ArgumentError (size, quality), OutputError. Leaves a partial file on error: write through AtomicFile.
void writeJpeg(const std::string &path, int width, int height, int quality, std::span<const std::byte> profile,
               const FillRow8 &fill);

} // namespace yolk
