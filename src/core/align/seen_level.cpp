#include "align/seen_level.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

template <class T> cv::Mat matOf(const Image<T> &image, int type)
{
    return {image.height(), image.width(), type, const_cast<T *>(image.row(0, 0)),
            size_t(image.view().rowStride()) * sizeof(T)};
}

} // namespace

SeenLevel seenLevel(const Guide &frame, int level, const Transform &toFrame, const Displacements &local, Shape shape)
{
    const GuideLevel &g = frame.levels[size_t(level)];
    const double scale = std::exp2(level);
    const Transform t = toFrame.scaled(1.0 / scale);
    cv::Mat mapX(shape.height, shape.width, CV_32F), mapY(shape.height, shape.width, CV_32F);
    for (int y = 0; y < shape.height; ++y)
        for (int x = 0; x < shape.width; ++x) { // OpenCV's centres are at 0
            const Point p = t({x + 0.5, y + 0.5});
            const bool moves = !local.empty();
            mapX.at<float>(y, x) = float(p.x - 0.5 + (moves ? double(local.field.row(0, y)[x]) / scale : 0.0));
            mapY.at<float>(y, x) = float(p.y - 0.5 + (moves ? double(local.field.row(1, y)[x]) / scale : 0.0));
        }
    SeenLevel out{Image<float>(shape.width, shape.height, 1), Image<uint8_t>(shape.width, shape.height, 1),
                  Image<uint8_t>(shape.width, shape.height, 1)};
    cv::Mat light = matOf(out.light, CV_32F), valid = matOf(out.valid, CV_8U), covered = matOf(out.covered, CV_8U);
    cv::remap(matOf(g.light, CV_32F), light, mapX, mapY, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid, CV_8U), valid, mapX, mapY, cv::INTER_NEAREST, cv::BORDER_REPLICATE);
    cv::remap(cv::Mat(g.light.height(), g.light.width(), CV_8U, cv::Scalar(1)), covered, mapX, mapY, cv::INTER_NEAREST,
              cv::BORDER_CONSTANT, cv::Scalar(0));
    return out;
}

void bridge(Displacements &displacements, const Image<uint8_t> &moved, int cell)
{
    cv::Mat mask;
    const cv::Size size(displacements.field.width(), displacements.field.height());
    cv::Mat wide;
    cv::resize(matOf(moved, CV_8U), wide, cv::Size(moved.width() * cell, moved.height() * cell), 0, 0,
               cv::INTER_NEAREST);
    cv::copyMakeBorder(wide, wide, 0, std::max(0, size.height - wide.rows), 0, std::max(0, size.width - wide.cols),
                       cv::BORDER_REPLICATE);
    mask = wide(cv::Rect(0, 0, size.width, size.height));
    if (cv::countNonZero(mask) == 0 || cv::countNonZero(mask == 0) == 0)
        return;
    cv::Mat known;
    cv::Mat(mask == 0).convertTo(known, CV_32F, 1.0 / 255.0);
    for (int k = 0; k < 2; ++k) {
        cv::Mat field(size.height, size.width, CV_32F, displacements.field.row(k, 0),
                      size_t(displacements.field.view().rowStride()) * sizeof(float));
        std::vector<cv::Mat> sums{field.mul(known)}, weights{known.clone()};
        while (std::min(sums.back().cols, sums.back().rows) > 2) { // pull
            cv::Mat sum, weight;
            cv::pyrDown(sums.back(), sum);
            cv::pyrDown(weights.back(), weight);
            sums.push_back(sum);
            weights.push_back(weight);
        }
        cv::Mat filled = sums.back() / cv::max(weights.back(), 1e-6f);
        for (size_t level = sums.size() - 1; level-- > 0;) { // push
            cv::Mat up;
            cv::resize(filled, up, sums[level].size(), 0, 0, cv::INTER_LINEAR);
            const cv::Mat share = cv::min(weights[level] * 4.0f, 1.0f);
            const cv::Mat own = sums[level] / cv::max(weights[level], 1e-6f);
            filled = own.mul(share) + up.mul(1.0f - share);
        }
        filled.copyTo(field, mask);
        cv::Mat smooth;
        constexpr int kRounds = 30;
        for (int i = 0; i < kRounds; ++i) {
            cv::blur(field, smooth, {5, 5});
            smooth.copyTo(field, mask);
        }
    }
}

} // namespace yolk
