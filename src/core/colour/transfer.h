// Transfer functions of files and screens, and CIE lightness.
#pragma once

#include <algorithm>
#include <cmath>

namespace yolk {

/// Display-linear 0..1 to the sRGB code value 0..1; outside it the end's formula goes on. Source: [IEC61966-2-1].
inline double encodeSrgb(double linear)
{
    return linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1.0 / 2.4) - 0.055;
}
/// The inverse of encodeSrgb.
inline double decodeSrgb(double code)
{
    return code <= 0.04045 ? code / 12.92 : std::pow((code + 0.055) / 1.055, 2.4);
}

/// How code values, 0..1, stand for display light.
enum class Transfer {
    Srgb,
    OpRgb,  ///< a power of 563/256
    Romm,   ///< a power of 1.8 with a straight line near black
    Rec709, ///< what cameras of video do to light
    Pq,     ///< light in shares of kPqPeak
    Linear
};

/// Luminance of the PQ code 1, cd/m2. Source: [ST2084].
inline constexpr double kPqPeak = 10000.0;
/// Luminance of white of a standard picture inside an HDR one, cd/m2. Source: [BT2408] table 1.
inline constexpr double kHdrWhite = 203.0;

/// Shares of kPqPeak to the PQ code and back. Source: [ST2084] equations 4.1 and 5.1.
inline double encodePq(double share)
{
    constexpr double m1 = 2610.0 / 16384.0, m2 = 2523.0 / 4096.0 * 128.0;
    constexpr double c1 = 3424.0 / 4096.0, c2 = 2413.0 / 4096.0 * 32.0, c3 = 2392.0 / 4096.0 * 32.0;
    const double p = std::pow(std::max(share, 0.0), m1);
    return std::pow((c1 + c2 * p) / (1.0 + c3 * p), m2);
}
inline double decodePq(double code)
{
    constexpr double m1 = 2610.0 / 16384.0, m2 = 2523.0 / 4096.0 * 128.0;
    constexpr double c1 = 3424.0 / 4096.0, c2 = 2413.0 / 4096.0 * 32.0, c3 = 2392.0 / 4096.0 * 32.0;
    const double p = std::pow(std::max(code, 0.0), 1.0 / m2);
    return std::pow(std::max(p - c1, 0.0) / (c2 - c3 * p), 1.0 / m1);
}

/// Display light, 0..1, to the code value, 0..1. Sources: [IEC61966-2-1], [IEC61966-2-5], [ISO22028-2], [BT709], [ST2084].
inline double encodeLight(Transfer transfer, double light)
{
    switch (transfer) {
    case Transfer::OpRgb:
        return std::pow(std::max(light, 0.0), 256.0 / 563.0);
    case Transfer::Romm:
        return light < 1.0 / 512.0 ? 16.0 * light : std::pow(light, 1.0 / 1.8);
    case Transfer::Pq:
        return encodePq(light);
    case Transfer::Rec709:
        return light < 0.018 ? 4.5 * light : 1.099 * std::pow(light, 0.45) - 0.099;
    case Transfer::Linear:
        return light;
    case Transfer::Srgb:
        break;
    }
    return encodeSrgb(light);
}

/// CIE 1976 lightness L* (0..100) of relative luminance; below 0 counts as 0. Source: [CIE15] 8.2.1.
inline double lightnessOf(double luminance)
{
    const double y = std::max(luminance, 0.0);
    return y <= 216.0 / 24389.0 ? y * 24389.0 / 27.0 : 116.0 * std::cbrt(y) - 16.0;
}
/// The inverse of lightnessOf.
inline double luminanceOf(double lightness)
{
    return lightness <= 8.0 ? lightness * 27.0 / 24389.0 : std::pow((lightness + 16.0) / 116.0, 3.0);
}

} // namespace yolk
