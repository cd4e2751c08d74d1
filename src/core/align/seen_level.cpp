#include "align/seen_level.h"

#include "align/flow.h"
#include "align/remap_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {

SeenLevel seenLevel(const Guide &frame, int level, const Transform &toFrame, const Displacements &local, Shape shape,
                    ExecContext &ctx)
{
    const GuideLevel &g = frame.levels[size_t(level)];
    const double scale = std::exp2(level);
    RemapMaps maps = mapsOf(toFrame.scaled(1.0 / scale), shape, ctx);
    if (!local.empty()) {
        maps.x += matOf(local.field, 0) / scale;
        maps.y += matOf(local.field, 1) / scale;
    }
    SeenLevel out{Image<float>(shape.width, shape.height, 1), Image<uint8_t>(shape.width, shape.height, 1),
                  Image<uint8_t>(shape.width, shape.height, 1)};
    cv::Mat light = matOf(out.light), valid = matOf(out.valid), covered = matOf(out.covered);
    cv::remap(matOf(g.light), light, maps.x, maps.y, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid), valid, maps.x, maps.y, cv::INTER_NEAREST, cv::BORDER_REPLICATE);
    cv::remap(cv::Mat(g.light.height(), g.light.width(), CV_8U, cv::Scalar(1)), covered, maps.x, maps.y,
              cv::INTER_NEAREST, cv::BORDER_CONSTANT, cv::Scalar(0));
    return out;
}

void bridge(Displacements &displacements, const Image<uint8_t> &moved, int cell, ExecContext &ctx)
{
    if (cv::countNonZero(matOf(moved)) == 0)
        return;
    const int width = displacements.field.width(), height = displacements.field.height();
    Image<float> belief(width, height, 1);
    const Image<float> tone(width, height, 1); // the same everywhere: only the distance counts
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            belief.row(0, y)[x] =
                moved.row(0, std::min(y / cell, moved.height() - 1))[std::min(x / cell, moved.width() - 1)] ? 0.0f
                                                                                                            : 1.0f;
    cv::Mat soft = matOf(belief); // no step at the rim
    constexpr int kRim = 9;
    cv::blur(soft, soft, {kRim, kRim});
    continueFlow(displacements.field.view(), belief.view(), tone.view(), ctx);
}

} // namespace yolk
