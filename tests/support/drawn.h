// Pictures from a formula.
#pragma once

#include "image/image.h"

#include <functional>

namespace yolk::test {

/// Three planes; `light` of channel c at pixel x, y.
inline Image<float> drawn(int width, int height, const std::function<float(int c, int x, int y)> &light)
{
    Image<float> out(width, height, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                out.row(c, y)[x] = light(c, x, y);
    return out;
}

} // namespace yolk::test
