// Radiance in and out: OpenEXR and Radiance HDR.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "image/image.h"

#include <optional>
#include <string>

namespace yolk {

/// What a radiance file says besides its pixels; the EXR attributes of the same meaning carry it.
struct RadianceNotes {
    Primaries primaries = kRec709;
    std::optional<double> exposureSeconds, fNumber, iso; ///< of the reference frame
    std::string dateTime, camera, software;
};

/// Writes width x height x 3 linear RGB as 32-bit float EXR (ZIP), chromaticities from the notes.
/// Throws ArgumentError (shape), OutputError. Leaves a partial file on error: write through AtomicFile.
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
long long writeRadianceHdr(const std::string &path, ImageView<const float> rgb);

} // namespace yolk
