// OpenCV's matrix over a plane of ours, without a copy; for .cpp files that call OpenCV.
#pragma once

#include "image/image.h"

#include <opencv2/core.hpp>

namespace yolk {

/// It must not outlive the image, nor write into a constant one.
template <class T> cv::Mat matOf(const Image<T> &image, int plane = 0)
{
    return {image.height(), image.width(), cv::DataType<T>::type, const_cast<T *>(image.row(plane, 0)),
            size_t(image.view().rowStride()) * sizeof(T)};
}

} // namespace yolk
