// Luminance of linear Rec. 709, as scenes of the proving ground have it.
#pragma once

#include "colour/primaries.h"
#include "image/image.h"

namespace yolk::worlds {

inline double luminanceOf(const Vector3 &rgb)
{
    return 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]; // ITU-R BT.709
}
inline Vector3 pixelAt(ImageView<const float> rgb, int x, int y)
{
    return {double(rgb.row(0, y)[x]), double(rgb.row(1, y)[x]), double(rgb.row(2, y)[x])};
}
inline double luminanceAt(ImageView<const float> rgb, int x, int y)
{
    return luminanceOf(pixelAt(rgb, x, y));
}

} // namespace yolk::worlds
