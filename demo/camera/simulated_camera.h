// A stand-in for a real camera: takes scene radiance and an exposure, gives a frame with noise, clipping, code values
// and exposure metadata. Deterministic by seed: every pixel's noise comes from a counter, so that frames can be remade
// bit for bit on any number of threads.
#pragma once

#include "image/image.h"

#include <cstdint>
#include <string>

namespace yolk::demo {

struct Shot {
    double clipsAt = 1.0;         ///< scene radiance at which a channel clips in this frame
    double exposureSeconds = 0.1; ///< marked time, written as metadata
    double fNumber = 8.0;
    int iso = 100;
    uint64_t seed = 1;
    std::string dateTime = "2026:05:01 05:48:00";
};

/// Electrons at clipping and read noise in electrons, at ISO 100.
inline constexpr double kFullWell = 25000.0, kReadNoise = 4.0;

/// Linear values of one frame: 0 black, at most 1, with shot and read noise; below 0 where read noise went there.
/// Shapes: linear Rec. 709 in, three planes; the same out. NaN and negative radiance count as dark.
Image<float> expose(ImageView<const float> radiance, const Shot &shot);

/// Writes `linear` as sRGB-coded JPEG (8 bit) or TIFF (16 bit) with profile and Exif data, complete or not at all.
enum class FrameFile { Jpeg, Tiff };
void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind);

} // namespace yolk::demo
