// The sRGB transfer function and CIE lightness.
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
