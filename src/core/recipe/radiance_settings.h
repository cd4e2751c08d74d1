// How the merged light is saved.
#pragma once

#include "base/fields.h"
#include "colour/primaries.h"
#include "io/radiance_ways.h"

#include <array>
#include <tuple>

namespace yolk {

enum class RadianceSpace { Rec709, Rec2020, Ap1 };
enum class Extra { Off, On };

struct RadianceSettings {
    RadianceSpace space = RadianceSpace::Rec709;
    RadiancePixels pixels = RadiancePixels::Float;
    RadianceCompression compression = RadianceCompression::Zip;
    Extra variance = Extra::Off;
    Extra shares = Extra::Off;
    DngSamples dngSamples = DngSamples::Float;
    bool operator==(const RadianceSettings &) const = default;
};

inline constexpr std::array kRadianceSpaces{
    Choice<RadianceSpace>{RadianceSpace::Rec709, "rec709", "Rec. 709",
                          "What most programs expect; colours beyond it become negative values"},
    Choice<RadianceSpace>{RadianceSpace::Rec2020, "rec2020", "Rec. 2020", "Holds nearly all real colours"},
    Choice<RadianceSpace>{RadianceSpace::Ap1, "ap1", "AP1", "For film and rendering pipelines"},
};
inline constexpr std::array kRadiancePixels{
    Choice<RadiancePixels>{RadiancePixels::Float, "float", "32 bit", "Every digit of the merge"},
    Choice<RadiancePixels>{RadiancePixels::Half, "half", "16 bit",
                           "Half-float: half the size, steps of 0.1 percent, up to 65504"},
};
inline constexpr std::array kRadianceCompressions{
    Choice<RadianceCompression>{RadianceCompression::None, "none", "None", "The fastest and largest files"},
    Choice<RadianceCompression>{RadianceCompression::Zip, "zip", "ZIP", "Without loss; every program reads it"},
    Choice<RadianceCompression>{RadianceCompression::Piz, "piz", "PIZ", "Without loss; smaller where there is noise"},
};
inline constexpr std::array kDngSamples{
    Choice<DngSamples>{DngSamples::Float, "float", "Floating", "32-bit floating point, by DNG 1.4"},
    Choice<DngSamples>{DngSamples::Whole, "whole", "16 bit", "Whole numbers, for programs that know no floating DNG"},
};
inline constexpr std::array kExtras{
    Choice<Extra>{Extra::Off, "off", "Off", "Not in the file"},
    Choice<Extra>{Extra::On, "on", "On", "As further channels of an OpenEXR file"},
};

inline constexpr auto kRadianceFields = std::tuple{
    ChoiceField<RadianceSettings, RadianceSpace>{"space", &RadianceSettings::space, kRadianceSpaces, "Radiance",
                                                 "Colour space", "The primaries of the saved light; HDR is Rec. 709"},
    ChoiceField<RadianceSettings, RadiancePixels>{"pixels", &RadianceSettings::pixels, kRadiancePixels, "Radiance",
                                                  "EXR pixels", "How finely an OpenEXR file keeps each value"},
    ChoiceField<RadianceSettings, RadianceCompression>{"compression", &RadianceSettings::compression,
                                                       kRadianceCompressions, "Radiance", "EXR compression",
                                                       "How an OpenEXR file is packed; nothing is lost in any"},
    ChoiceField<RadianceSettings, Extra>{"variance", &RadianceSettings::variance, kExtras, "Radiance",
                                         "EXR noise channels", "The variance of every value, as the merge knows it"},
    ChoiceField<RadianceSettings, Extra>{"shares", &RadianceSettings::shares, kExtras, "Radiance", "EXR share channels",
                                         "How much of every pixel each frame gave"},
    ChoiceField<RadianceSettings, DngSamples>{"dng_samples", &RadianceSettings::dngSamples, kDngSamples, "Radiance",
                                              "DNG samples", "How a DNG keeps each value"},
};

const Primaries &primariesOf(RadianceSpace space);

} // namespace yolk
