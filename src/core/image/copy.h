// Images are moved; who wants the same pixels twice says so.
#pragma once

#include "image/image.h"

#include <algorithm>

namespace yolk {

template <class T> Image<T> copyOf(const Image<T> &image)
{
    Image<T> out(image.shape(), Fill::Anything);
    for (int c = 0; c < image.planes(); ++c)
        for (int y = 0; y < image.height(); ++y)
            std::copy_n(image.row(c, y), image.width(), out.row(c, y));
    return out;
}

} // namespace yolk
