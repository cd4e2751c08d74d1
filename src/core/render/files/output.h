// The last stage: code values, and finished files.
#pragma once

#include "io/radiance_file.h"
#include "render/plan/render_plan.h"

#include <string>

namespace yolk {

inline constexpr const char *kSoftware = "Yolk 0.1";

/// Of a path, in small letters, with its dot.
std::string extensionOf(const std::string &path);
/// The formats that the extension of a path can name.
enum class PictureFormat { Tiff16, Jpeg };
enum class RadianceFormat { Exr, Hdr, Tiff };
/// By ".tif", ".tiff", ".jpg", ".jpeg" in any case. Throws ArgumentError naming what is possible.
PictureFormat pictureFormatOf(const std::string &path);
/// By ".exr", ".hdr", ".tif", ".tiff".
RadianceFormat radianceFormatOf(const std::string &path);

/// The largest size of the reference frame's proportions that fits inside; 0 means unlimited; never enlarges.
Shape fittedSize(int width, int height, int maxWidth, int maxHeight);

/// Renders the picture, cropped as the recipe says, from the full decode and writes it with profile and the reference
/// frame's metadata.
/// Throws as render(); ArgumentError (format), OutputError. The file is complete or absent.
void exportPicture(const Sources &sources, const Recipe &recipe, const Measured &measured, const std::string &path,
                   int maxWidth, int maxHeight, ExecContext &ctx);

} // namespace yolk
