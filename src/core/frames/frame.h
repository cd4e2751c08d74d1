// One file of a bracket: what it says of itself, and how to decode it to linear light.
#pragma once

#include "base/exec_context.h"
#include "base/hash.h"
#include "colour/icc.h"
#include "frames/noise_model.h"
#include "image/image.h"
#include "io/codec.h"
#include "io/linear_codes.h"
#include "io/metadata.h"

#include <array>
#include <memory>
#include <string>

namespace yolk {

/// By how much the samples of red and of blue lie off the middles of pixels: x, y.
struct ColourOffsets {
    std::array<double, 2> red{}, blue{};
    bool operator==(const ColourOffsets &) const = default;
};

/// Immutable once loaded; passed between threads as FramePtr.
struct Frame {
    std::string path, name;    ///< name is the file's name without folders
    std::string id;            ///< content hash, 32 hexadecimal digits
    std::string format;        ///< "JPEG"
    int width = 0, height = 0; ///< upright
    int bits = 8;              ///< per stored sample
    Metadata metadata;
    CodeValues codeValues;
    NoiseModel assumedNoise;           ///< of a usual sensor; what was measured stands in MeasuredFrame
    double codingVariance = kRounding; ///< as PictureInfo has it
    const Codec *codec = nullptr;
    /// In pixels of the sensor, upright: where a reduced decode makes one pixel of a cell of the filter array.
    ColourOffsets cellOffsets;
    bool isRaw() const { return codec == &kRawCodec; }
    bool isRadiance() const { return bits == 32; } ///< merged already: it has no exposure and no clipping
};
using FramePtr = std::shared_ptr<const Frame>;

/// Reads everything but the pixels. Throws InputError.
FramePtr loadFrame(const std::string &path);

/// The size of a frame decoded at 1/reduction: sides rounded up.
Shape reducedShape(const Frame &frame, int reduction);

/// Where red and blue lie in a frame decoded at 1/reduction, in its pixels; at 1 nowhere else than green.
ColourOffsets colourOffsets(const Frame &frame, int reduction);

/// Decodes to linear RGB of the file (raw: of the camera) as linear codes, upright, three planes; grey files give three
/// equal ones. Reduced pixels are means of linear blocks, or what the format's own reduced decoding gives (JPEG: up to
/// 1/8, means of code values).
/// Throws InputError (also when the file changed its size since it was loaded), Cancelled; ArgumentError unless
/// `reduction` is 1, 2, 4, ... 64. Threads: one. Memory: 6 bytes per delivered pixel.
Image<uint16_t> decodeFrame(const Frame &frame, int reduction, ExecContext &ctx, const RawOptions &raw = {});

/// The linear RGB of an already merged file, upright; values that are no numbers become 0. Reduced pixels are means.
/// Throws as decodeFrame(); ArgumentError when the frame is not one.
Image<float> decodeRadiance(const Frame &frame, int reduction, ExecContext &ctx);

/// What decodeFrame() is made of beyond the format's own reduction: means of factor x factor blocks, those at the right
/// and lower edge of what is there. Throws ArgumentError unless factor is 1 .. 64.
Image<uint16_t> blockMeans(ImageView<const uint16_t> codes, int factor);

} // namespace yolk
