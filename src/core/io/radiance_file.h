// Radiance in and out: OpenEXR, Radiance HDR and floating point TIFF.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "image/image.h"
#include "io/radiance_ways.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace yolk {

/// What a radiance file says besides its pixels; the EXR attributes of the same meaning carry it.
struct RadianceNotes {
    Primaries primaries = kRec709;
    std::optional<double> exposureSeconds, fNumber, iso; ///< of the reference frame
    std::string dateTime, camera, software;
    std::vector<std::string> frameNames; ///< that were merged, dark to bright; EXR: frameNames
    std::vector<float> frameEvs;         ///< their EV against the reference; EXR: frameEVs
};

/// Rows of a radiance image to be filled, from y on: the files are written strip by strip, so that the picture need not
/// stand in memory once more.
struct RadianceStrip {
    int y = 0;
    ImageView<float> rgb;      ///< width x rows x 3
    ImageView<float> variance; ///< width x rows x 3; empty unless asked for
    ImageView<float> shares;   ///< width x rows x frames, 0 .. 1; empty unless asked for
};
using FillStrip = std::function<void(const RadianceStrip &strip)>;

struct ExrOptions {
    RadiancePixels pixels = RadiancePixels::Float; ///< of R, G, B; half ends at 65504
    RadianceCompression compression = RadianceCompression::Zip;
    bool variance = false; ///< channels variance.R, .G, .B, float: half would lose small ones
    int shares = 0;        ///< channels share.1 ... of so many frames, half
};

/// Writes linear RGB, chromaticities from the notes. What `fill` throws passes through.
/// Throws ArgumentError (shape), OutputError. Leaves a partial file on error: write through AtomicFile.
void writeExr(const std::string &path, int width, int height, const RadianceNotes &notes, const ExrOptions &options,
              const FillStrip &fill);
/// A picture as it stands: width x height x 3, 32-bit float, ZIP.
void writeExr(const std::string &path, ImageView<const float> rgb, const RadianceNotes &notes);

struct RadianceFile {
    Image<float> rgb;
    RadianceNotes notes;
};
/// Reads the R, G, B channels of an EXR of any pixel type. Throws InputError.
RadianceFile readExr(const std::string &path);

/// Reads Radiance HDR. Throws InputError.
RadianceFile readRadianceHdr(const std::string &path);

/// Writes Radiance HDR (RGBE, Rec. 709): the format knows no negatives, which are set to 0 and counted.
/// Source: [Ward1991]. Throws ArgumentError (shape), OutputError. Returns the number of pixels with a negative.
long long writeRadianceHdr(const std::string &path, int width, int height, const FillStrip &fill);
long long writeRadianceHdr(const std::string &path, ImageView<const float> rgb);

} // namespace yolk
