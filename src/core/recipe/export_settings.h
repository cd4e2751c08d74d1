// How the finished picture is written.
#pragma once

#include "base/fields.h"
#include "colour/icc.h"
#include "io/jpeg.h"
#include "io/metadata.h"
#include "io/picture_formats.h"

namespace yolk {

enum class ExportLight { Standard, Hdr };
enum class SizeBy { Full, LongEdge, Width, Height, Megapixels, Percent };
enum class OutputSharpening { Off, Screen, Paper };
enum class FileDepth { Usual = 0, Eight = 8, Ten = 10, Twelve = 12, Sixteen = 16, Float = 32 };

struct ExportSettings {
    PictureFormat format = PictureFormat::Tiff;
    FileDepth depth = FileDepth::Usual;
    double quality = 92.0;
    JpegChroma chroma = JpegChroma::Automatic;
    OutputSpace space = OutputSpace::Srgb;
    std::string profile; ///< path of an ICC file, for OutputSpace::Profile
    RenderingIntent intent = RenderingIntent::Relative;
    ExportLight light = ExportLight::Standard;
    double peak = 1000.0, lightsBegin = 55.0;
    SizeBy sizeBy = SizeBy::Full;
    double pixels = 2048.0, megapixels = 12.0, percent = 50.0;
    double mostKilobytes = 0.0;
    double pixelsPerInch = 300.0;
    OutputSharpening sharpening = OutputSharpening::Off;
    KeptMetadata metadata = KeptMetadata::All;
    std::string copyright, caption;
    std::string name = "{name}-picture";
    bool operator==(const ExportSettings &) const = default;
};

constexpr bool losesSome(const ExportSettings &s)
{
    return traitsOf(s.format).loses;
}
constexpr bool isJpeg(const ExportSettings &s)
{
    return s.format == PictureFormat::Jpeg;
}
constexpr bool canHoldHdr(const ExportSettings &s)
{
    return traitsOf(s.format).hdr;
}
constexpr bool isHdr(const ExportSettings &s)
{
    return canHoldHdr(s) && s.light == ExportLight::Hdr;
}
constexpr bool hasDepths(const ExportSettings &s)
{
    return traitsOf(s.format).depths[1] != 0;
}
constexpr bool usesProfile(const ExportSettings &s)
{
    return s.space == OutputSpace::Profile;
}
constexpr bool isSizedInPixels(const ExportSettings &s)
{
    return s.sizeBy == SizeBy::LongEdge || s.sizeBy == SizeBy::Width || s.sizeBy == SizeBy::Height;
}

inline constexpr std::array kFormatChoices{
    Choice<PictureFormat>{PictureFormat::Tiff, traitsOf(PictureFormat::Tiff).key, traitsOf(PictureFormat::Tiff).name,
                          traitsOf(PictureFormat::Tiff).help},
    Choice<PictureFormat>{PictureFormat::Jpeg, traitsOf(PictureFormat::Jpeg).key, traitsOf(PictureFormat::Jpeg).name,
                          traitsOf(PictureFormat::Jpeg).help},
    Choice<PictureFormat>{PictureFormat::Png, traitsOf(PictureFormat::Png).key, traitsOf(PictureFormat::Png).name,
                          traitsOf(PictureFormat::Png).help},
    Choice<PictureFormat>{PictureFormat::Avif, traitsOf(PictureFormat::Avif).key, traitsOf(PictureFormat::Avif).name,
                          traitsOf(PictureFormat::Avif).help},
    Choice<PictureFormat>{PictureFormat::Jxl, traitsOf(PictureFormat::Jxl).key, traitsOf(PictureFormat::Jxl).name,
                          traitsOf(PictureFormat::Jxl).help},
    Choice<PictureFormat>{PictureFormat::Exr, traitsOf(PictureFormat::Exr).key, traitsOf(PictureFormat::Exr).name,
                          traitsOf(PictureFormat::Exr).help},
    Choice<PictureFormat>{PictureFormat::Hdr, traitsOf(PictureFormat::Hdr).key, traitsOf(PictureFormat::Hdr).name,
                          traitsOf(PictureFormat::Hdr).help},
};
inline constexpr std::array kDepthChoices{
    Choice<FileDepth>{FileDepth::Usual, "usual", "Usual", "What is usual for the format"},
    Choice<FileDepth>{FileDepth::Eight, "8", "8", "256 steps a channel, with dither so that none are seen"},
    Choice<FileDepth>{FileDepth::Ten, "10", "10", "1024 steps a channel"},
    Choice<FileDepth>{FileDepth::Twelve, "12", "12", "4096 steps a channel"},
    Choice<FileDepth>{FileDepth::Sixteen, "16", "16", "65536 steps a channel, or half-float"},
    Choice<FileDepth>{FileDepth::Float, "32", "32", "Floating point: linear light"},
};
inline constexpr std::array kChromaChoices{
    Choice<JpegChroma>{JpegChroma::Automatic, "automatic", "By quality", "Full from quality 90 on"},
    Choice<JpegChroma>{JpegChroma::Full, "full", "Full", "Colour as fine as light: 4:4:4"},
    Choice<JpegChroma>{JpegChroma::Halved, "halved", "Halved", "Colour at half the resolution: 4:2:0, smaller files"},
};
inline constexpr std::array kOutputSpaces{
    Choice<OutputSpace>{OutputSpace::Srgb, "srgb", "sRGB", "For the web and for screens of every kind"},
    Choice<OutputSpace>{OutputSpace::DisplayP3, "p3", "P3", "More saturated reds and greens, for wide-gamut screens"},
    Choice<OutputSpace>{OutputSpace::OpRgb, "oprgb", "opRGB", "More saturated greens, for print services"},
    Choice<OutputSpace>{OutputSpace::Rec2020, "rec2020", "Rec. 2020", "Very wide, for further work in 16 bit"},
    Choice<OutputSpace>{OutputSpace::Romm, "romm", "ROMM RGB", "The widest, for further work in 16 bit"},
    Choice<OutputSpace>{OutputSpace::Profile, "profile", "Profile…", "An ICC profile from a file, as of a printer"},
};
inline constexpr std::array kIntents{
    Choice<RenderingIntent>{RenderingIntent::Relative, "relative", "Relative",
                            "Colours that the profile holds stay as they are, black becomes its black"},
    Choice<RenderingIntent>{RenderingIntent::Perceptual, "perceptual", "Perceptual",
                            "All colours move together, as the maker of the profile saw fit"},
    Choice<RenderingIntent>{RenderingIntent::Saturation, "saturation", "Vivid",
                            "Strong colours stay strong: for charts"},
    Choice<RenderingIntent>{RenderingIntent::Absolute, "absolute", "Absolute",
                            "The white of the paper is kept apart too: for proofs"},
};
inline constexpr std::array kExportLights{
    Choice<ExportLight>{ExportLight::Standard, "standard", "Standard", "White is the brightest: what all screens show"},
    Choice<ExportLight>{ExportLight::Hdr, "hdr", "HDR", "Lights go on above white on screens that can show it"},
};
inline constexpr std::array kSizesBy{
    Choice<SizeBy>{SizeBy::Full, "full", "Full", "Every pixel of the picture"},
    Choice<SizeBy>{SizeBy::LongEdge, "long", "Long edge", "The longer side has so many pixels"},
    Choice<SizeBy>{SizeBy::Width, "width", "Width", "It is so many pixels wide"},
    Choice<SizeBy>{SizeBy::Height, "height", "Height", "It is so many pixels high"},
    Choice<SizeBy>{SizeBy::Megapixels, "megapixels", "Megapixels", "It has so many millions of pixels"},
    Choice<SizeBy>{SizeBy::Percent, "percent", "Percent", "Of each side"},
};
inline constexpr std::array kSharpenings{
    Choice<OutputSharpening>{OutputSharpening::Off, "off", "Off", "As it is"},
    Choice<OutputSharpening>{OutputSharpening::Screen, "screen", "Screen", "Gives back what making it smaller took"},
    Choice<OutputSharpening>{OutputSharpening::Paper, "paper", "Paper", "Against what ink spreads at this resolution"},
};
inline constexpr std::array kKeptMetadata{
    Choice<KeptMetadata>{KeptMetadata::All, "all", "All", "What the reference frame says of the shot"},
    Choice<KeptMetadata>{KeptMetadata::NoPlace, "no_place", "No place", "The same without where it was taken"},
    Choice<KeptMetadata>{KeptMetadata::None, "none", "None", "Only copyright and caption, if there are any"},
};

inline constexpr auto kExportFields = std::tuple{
    ChoiceField<ExportSettings, PictureFormat>{"format", &ExportSettings::format, kFormatChoices, "Picture", "Format",
                                               "The kind of file"},
    ChoiceField<ExportSettings, FileDepth>{"depth", &ExportSettings::depth, kDepthChoices, "Picture", "Bits a channel",
                                           "How fine the steps are; a format takes the nearest depth that it has",
                                           hasDepths},
    RealField<ExportSettings>{"quality", &ExportSettings::quality, 1, 100, 92, 1, 0, "", "Picture", "Quality",
                              "Fewer artefacts and larger files towards 100", losesSome},
    ChoiceField<ExportSettings, JpegChroma>{"chroma", &ExportSettings::chroma, kChromaChoices, "Picture",
                                            "Colour detail", "How fine colour is kept beside light", isJpeg},
    RealField<ExportSettings>{"most_kilobytes", &ExportSettings::mostKilobytes, 0, 100000, 0, 50, 0, "kB", "Picture",
                              "Largest file", "The quality is lowered until the file is no larger; 0 asks for nothing",
                              isJpeg},
    ChoiceField<ExportSettings, OutputSpace>{"space", &ExportSettings::space, kOutputSpaces, "Colour", "Colour space",
                                             "The colours that the finished file can hold"},
    TextField<ExportSettings>{"profile", &ExportSettings::profile, usesProfile},
    ChoiceField<ExportSettings, RenderingIntent>{"intent", &ExportSettings::intent, kIntents, "Colour",
                                                 "Rendering intent", "How colours come into the profile", usesProfile},
    ChoiceField<ExportSettings, ExportLight>{"light", &ExportSettings::light, kExportLights, "Colour", "Light",
                                             "Whether lights may be brighter than white", canHoldHdr},
    RealField<ExportSettings>{"peak", &ExportSettings::peak, 300, 10000, 1000, 50, 0, "cd/m²", "Colour", "Peak",
                              "The brightest light in the file; white is 203", isHdr},
    RealField<ExportSettings>{"lights_begin", &ExportSettings::lightsBegin, 20, 95, 55, 1, 0, "%", "Colour",
                              "Lights begin",
                              "Display light from which lights are given back; all below stays as it is", isHdr},
    ChoiceField<ExportSettings, SizeBy>{"size", &ExportSettings::sizeBy, kSizesBy, "Size", "Size",
                                        "How large the file's picture is; never larger than the picture"},
    RealField<ExportSettings>{"pixels", &ExportSettings::pixels, 16, 65500, 2048, 16, 0, "px", "Size", "Pixels",
                              "Of that side", isSizedInPixels},
    RealField<ExportSettings>{"megapixels", &ExportSettings::megapixels, 0.01, 512, 12, 0.5, 2, "MP", "Size",
                              "Megapixels", "Of the whole",
                              [](const ExportSettings &s) { return s.sizeBy == SizeBy::Megapixels; }},
    RealField<ExportSettings>{"percent", &ExportSettings::percent, 1, 100, 50, 1, 0, "%", "Size", "Percent",
                              "Of each side", [](const ExportSettings &s) { return s.sizeBy == SizeBy::Percent; }},
    RealField<ExportSettings>{"pixels_per_inch", &ExportSettings::pixelsPerInch, 30, 2400, 300, 1, 0, "ppi", "Size",
                              "Resolution", "Written into the file for print; paper sharpening goes by it"},
    ChoiceField<ExportSettings, OutputSharpening>{"sharpening", &ExportSettings::sharpening, kSharpenings, "Size",
                                                  "Sharpen for", "A last sharpening by the size of the file"},
    ChoiceField<ExportSettings, KeptMetadata>{"metadata", &ExportSettings::metadata, kKeptMetadata, "Words", "Metadata",
                                              "What the file says of the shot"},
    TextField<ExportSettings>{"copyright", &ExportSettings::copyright},
    TextField<ExportSettings>{"caption", &ExportSettings::caption},
    TextField<ExportSettings>{"name", &ExportSettings::name},
};

} // namespace yolk
