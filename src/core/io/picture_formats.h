// The formats that finished pictures are written in: one row each. Dialogs, panel, command line and docs read this table.
#pragma once

#include <array>
#include <span>
#include <string>
#include <string_view>

namespace yolk {

enum class PictureFormat { Tiff, Jpeg, Png, Avif, Jxl, Exr, Hdr };

struct FormatTraits {
    PictureFormat format;
    std::string_view key;      ///< in files and on the command line
    std::string_view name;     ///< in the window
    std::string_view suffixes; ///< with their dots, the usual one first
    std::array<int, 4> depths; ///< bits a channel, rising, 0 where there are no more; 32 is floating point
    int usualDepth;
    bool loses = false;    ///< a quality is chosen
    bool hdr = false;      ///< can hold light above white
    bool profiled = true;  ///< carries an ICC profile, Exif and XMP; else linear light with primaries
    bool alpha = false;    ///< can say what the frames do not reach
    std::string_view help; ///< one sentence
};

inline constexpr std::array kPictureFormats{
    FormatTraits{PictureFormat::Tiff,
                 "tiff",
                 "TIFF",
                 ".tif .tiff",
                 {8, 16, 32},
                 16,
                 false,
                 true,
                 true,
                 true,
                 "Without loss, for further work: 16 bit, or 32 bit of linear light"},
    FormatTraits{PictureFormat::Jpeg,
                 "jpeg",
                 "JPEG",
                 ".jpg .jpeg",
                 {8},
                 8,
                 true,
                 true,
                 true,
                 false,
                 "Small files that everything shows; with HDR light they carry a gain map for screens that can"},
    FormatTraits{PictureFormat::Png,
                 "png",
                 "PNG",
                 ".png",
                 {8, 16},
                 16,
                 false,
                 false,
                 true,
                 true,
                 "Without loss, for pages and layouts"},
    FormatTraits{PictureFormat::Avif,
                 "avif",
                 "AVIF",
                 ".avif",
                 {8, 10, 12},
                 10,
                 true,
                 true,
                 true,
                 false,
                 "Smaller than JPEG at the same quality, and more than 8 bits; slow to write"},
    FormatTraits{PictureFormat::Jxl,
                 "jxl",
                 "JPEG XL",
                 ".jxl",
                 {8, 10, 12, 16},
                 16,
                 true,
                 true,
                 true,
                 false,
                 "Smaller than JPEG at the same quality, up to 16 bits"},
    FormatTraits{PictureFormat::Exr,
                 "exr",
                 "OpenEXR",
                 ".exr",
                 {16, 32},
                 16,
                 false,
                 true,
                 false,
                 false,
                 "Linear light in floating point, for compositing"},
    FormatTraits{PictureFormat::Hdr,
                 "hdr",
                 "Radiance HDR",
                 ".hdr",
                 {32},
                 32,
                 false,
                 true,
                 false,
                 false,
                 "Linear light with a shared exponent, Rec. 709 primaries"},
};

constexpr const FormatTraits &traitsOf(PictureFormat format)
{
    return kPictureFormats[std::size_t(format)];
}
/// The suffixes of a row one by one, each with its dot.
std::span<const std::string> suffixesOf(PictureFormat format);
/// Of a path, in small letters, with its dot.
std::string extensionOf(const std::string &path);
/// By its suffix in any case. Throws ArgumentError naming what is possible.
PictureFormat pictureFormatOf(const std::string &path);
/// The depth of the format that is nearest to the one asked for, of two the higher; 0 asks for its usual one.
int depthFor(PictureFormat format, int asked);

} // namespace yolk
