// AVIF and JPEG XL out. Their libraries cannot be stopped, so they run in a process of their own, which can.
#pragma once

#include "base/exec_context.h"
#include "io/jpeg.h"

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace yolk {

enum class StillFormat : int32_t { Avif, Jxl };

/// Code points of ITU-T H.273 for what the codes mean; 2: unspecified, the profile alone says it.
struct CodePoints {
    int32_t primaries = 2, transfer = 2, matrix = 1;
};

/// All that an encoder is told but the pixels.
struct StillPicture {
    StillFormat format = StillFormat::Avif;
    int width = 0, height = 0;
    int bits = 10;                        ///< AVIF 8, 10, 12; JPEG XL 8 to 16
    int quality = 90;                     ///< 1 to 99; 100 loses nothing
    bool halvedChroma = false;            ///< AVIF
    CodePoints codePoints;                ///< JPEG XL: a transfer of 16 (PQ) stands in place of the profile
    std::vector<std::byte> profile, exif; ///< exif as a TIFF stream
    std::string xmp;
};

/// Fills rows of 3 x width codes, 0 .. 2^bits - 1, from the top down, then encodes in a child process that ends at once
/// when this one does or is stopped.
/// Throws ArgumentError (size, bits), OutputError (with the encoder's words), Cancelled. Leaves a partial file on error:
/// write through AtomicFile. Memory: a row here; in the child 6 bytes a pixel and what the encoder takes.
void writeStill(const std::string &path, const StillPicture &picture, const FillRow16 &fill, ExecContext &ctx);

/// Encodes in this process; `codes` as above, without gaps. Throws OutputError. For the child.
std::vector<std::byte> encodeAvif(const StillPicture &picture, const uint16_t *codes);
std::vector<std::byte> encodeJxl(const StillPicture &picture, const uint16_t *codes);

/// What the child does: reads a job from a socket, writes the file to a descriptor and what went wrong, in words, to the
/// socket. Returns its exit code.
int runEncoder(int job, int out);

} // namespace yolk
