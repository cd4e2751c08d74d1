// The last stage: finished files.
#pragma once

#include "io/picture_formats.h"
#include "io/radiance_file.h"
#include "render/plan/render_plan.h"

#include <string>

namespace yolk {

inline constexpr const char *kSoftware = "Yolk 0.1";

enum class RadianceFormat { Exr, Hdr, Tiff, Dng };
/// By ".exr", ".hdr", ".tif", ".tiff", ".dng" in any case. Throws ArgumentError naming what is possible.
RadianceFormat radianceFormatOf(const std::string &path);

/// The largest size of these proportions that fits inside; 0 means unlimited; never enlarges.
Shape fittedSize(int width, int height, int maxWidth, int maxHeight);
/// The size that the settings ask for; never larger than the picture.
Shape sizeUnder(const ExportSettings &settings, int width, int height);

/// What names of files are made of, beside the settings.
struct NamedPicture {
    std::string path; ///< of the frame that it is named after
    const Metadata &metadata;
    int rating = 0, number = 0; ///< 0: not rated; no run
    int width = 0, height = 0;  ///< of the whole picture
};
/// Name of a file by the settings' pattern, with the format's suffix. Throws ArgumentError: an unknown field.
std::string outputNameOf(const ExportSettings &settings, const NamedPicture &picture);

struct PictureTarget {
    std::string path;                ///< its suffix names the format, whatever the settings say
    int maxWidth = 0, maxHeight = 0; ///< it fits inside, beside what the settings ask for; 0: unlimited
    int rating = 0;                  ///< written as XMP; 0: none
};
/// What became of it.
struct PictureReport {
    int width = 0, height = 0, bits = 0;
    int quality = 0; ///< of formats that lose something
    long long bytes = 0;
};

/// Renders the picture, cropped as the recipe says, from the full decode and writes it as recipe.output says, with profile
/// and the reference frame's metadata. HDR light is written as PQ in Rec. 2020 (AVIF, JPEG XL), as a gain map (JPEG), or as
/// linear light with white at 1 (TIFF of 32 bits, OpenEXR, Radiance HDR).
/// Throws as render(); ArgumentError (format, no HDR in it, a file that cannot be so small), InputError (profile),
/// OutputError. The file is complete or absent.
PictureReport exportPicture(const Sources &sources, const Recipe &recipe, const Measured &measured,
                            const PictureTarget &target, ExecContext &ctx);

} // namespace yolk
