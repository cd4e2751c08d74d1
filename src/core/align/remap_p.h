// Where OpenCV's remap is to look for each pixel of the reference.
#pragma once

#include "align/transform.h"
#include "base/exec_context.h"
#include "image/mat_p.h"

namespace yolk {

struct RemapMaps {
    cv::Mat x, y;
};

/// t(pixel centre + flow), two planes of pixels where it is not nullptr; OpenCV's centres are at whole numbers.
inline RemapMaps mapsOf(const Transform &t, Shape shape, ExecContext &ctx, const Image<float> *flow = nullptr)
{
    RemapMaps out{cv::Mat(shape.height, shape.width, CV_32F), cv::Mat(shape.height, shape.width, CV_32F)};
    ExecContext own = ctx.child({});
    forEachBand(own, shape.height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < shape.width; ++x) {
                const double dx = flow ? double(flow->row(0, y)[x]) : 0.0, dy = flow ? double(flow->row(1, y)[x]) : 0.0;
                const Point p = t({x + 0.5 + dx, y + 0.5 + dy});
                out.x.at<float>(y, x) = float(p.x - 0.5);
                out.y.at<float>(y, x) = float(p.y - 0.5);
            }
    });
    return out;
}

} // namespace yolk
