// OpenCV's matrix over a plane of ours, without a copy; for .cpp files that call OpenCV.
#pragma once

#include "image/image.h"

#include <opencv2/core.hpp>

namespace yolk {

/// It must not outlive the pixels, nor write into constant ones.
template <class T> cv::Mat matOf(ImageView<T> view, int plane = 0)
{
    using Pixel = std::remove_const_t<T>;
    return {view.height(), view.width(), cv::DataType<Pixel>::type, const_cast<Pixel *>(view.row(plane, 0)),
            size_t(view.rowStride()) * sizeof(T)};
}
template <class T> cv::Mat matOf(const Image<T> &image, int plane = 0)
{
    return matOf(image.view(), plane);
}

} // namespace yolk
