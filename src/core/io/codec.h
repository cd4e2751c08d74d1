// Pictures in: one small codec per format over its library, chosen by the file's first bytes.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "image/image.h"
#include "io/metadata.h"

#include <array>
#include <cstddef>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// The camera's own RGB, as raw files hold it.
struct CameraColour {
    Vector3 neutral{1, 1, 1};  ///< what the camera's white balance took as neutral; the largest is 1
    Vector3 daylight{1, 1, 1}; ///< what D65 leaves on a white surface, by the matrix; the largest is 1
    Matrix3 toRec2020;         ///< RGB / neutral to linear Rec. 2020
    bool operator==(const CameraColour &) const = default;
};

/// Where red and blue lie in the cells of a filter array of two by two pixels: x, y, each 0 or 1.
struct ColourCells {
    std::array<int, 2> red{}, blue{};
    bool operator==(const ColourCells &) const = default;
};

/// What a file says of itself before its pixels are read.
struct PictureInfo {
    int width = 0, height = 0;      ///< as stored, before any orientation
    int channels = 3;               ///< 1 grey or 3 RGB, as delivered (alpha is dropped, palettes are resolved)
    int bits = 8;                   ///< 8 or 16 per sample, as delivered; 32: radiance, linear and without an upper end
    std::vector<std::byte> profile; ///< embedded ICC profile; empty when there is none
    /// Raw files only. Their samples are linear codes (linear_codes.h) of the camera's RGB, not balanced.
    std::optional<CameraColour> camera = std::nullopt;
    Metadata library = {}; ///< raw files: what their library says of the shot, where exiv2 knows nothing
    /// Of developed files: what coding makes of a sample, in squares of a code; rounding alone where it loses nothing.
    double codingVariance = 1.0 / 12.0;
    int sensorBits = 0;                                ///< raw files: of a stored sensor value
    std::optional<Primaries> primaries = std::nullopt; ///< radiance files that name theirs
    bool isUpright = false;                            ///< rows come turned already, whatever the metadata say
    std::optional<ColourCells> cells = std::nullopt;   ///< raw files whose reduced pixels are such cells
    bool operator==(const PictureInfo &) const = default;
};

/// One row of interleaved samples; exactly one of the spans is filled, with width * channels samples.
struct CodedRow {
    std::span<const uint8_t> eight = {};
    std::span<const uint16_t> sixteen = {};
    std::span<const float> real = {}; ///< radiance
};
/// Called once per row, top to bottom, on the thread that reads. Throw to end the reading.
using RowSink = std::function<void(int y, const CodedRow &row)>;

/// How a raw file's filter array becomes pixels: the better, the slower.
enum class Demosaic { Best, Balanced, Fast };

/// The sensor values of a raw file behind a filter array that repeats every two pixels, black level included.
struct Mosaic {
    ImageView<uint16_t> values;   ///< one plane
    std::array<int, 2> red, blue; ///< x, y of the cell's red and blue pixel: 0 or 1
    int clipped = 65535;          ///< the value of clipping
};

/// How often the sensor of a raw file shows each value, by channel, before anything is done to them.
struct SensorCounts {
    std::array<std::vector<uint32_t>, 3> of;     ///< [channel][value]; both greens together
    std::array<double, 3> black{}, saturation{}; ///< by channel, as file and library state them
    double white = 65535.0;                      ///< the one level that values are scaled by
};

/// What can be asked of raw files; other formats have nothing to choose.
struct RawOptions {
    Demosaic demosaic = Demosaic::Best;
    std::function<void(const Mosaic &)>
        edit{};              ///< before demosaicing at full size; files without such an array skip it
    double whiteShare = 1.0; ///< where clipping is, of the range from black to the white level that the file states
    std::function<void(const SensorCounts &)> count{}; ///< what the sensor shows
    std::function<void(const Mosaic &)> look{};        ///< as `edit`, at any size, before it and to be left as it is
};

/// All functions throw InputError with a reason for people, whatever the bytes are. Threads: none of their own.
struct Codec {
    const char *name; ///< "JPEG"
    bool (*recognises)(std::span<const std::byte> head, const std::string &path);
    PictureInfo (*readInfo)(const std::string &path);
    /// Delivers ceil(width / r) x ceil(height / r) pixels with r the returned reduction: 1, or up to `reduction`
    /// (a power of two) where the format can be decoded smaller.
    int (*reducedBy)(int reduction);
    void (*readRows)(const std::string &path, int reduction, const RawOptions &raw, const RowSink &sink,
                     ExecContext &ctx);
};

/// The codec of a file by its first bytes, never by its name. Throws InputError: missing, empty, unknown format.
const Codec &codecOf(const std::string &path);

/// Larger pictures are refused before any memory is asked for them.
inline constexpr double kLargestMegapixels = 512.0;
/// Throws InputError when a declared size is not 1 x 1 up to kLargestMegapixels.
void checkSize(const std::string &path, long long width, long long height);

extern const Codec kExrCodec, kHdrCodec, kHeifCodec, kJpegCodec, kJxlCodec, kPngCodec, kRawCodec, kTiffCodec;

} // namespace yolk
