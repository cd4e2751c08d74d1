#include "align/local_motion.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kPixels = 2.2e6;
constexpr double kMost = 24.0; // pixels of the level: farther is another thing

cv::Mat matOf(const Image<float> &image)
{
    return {image.height(), image.width(), CV_32F, const_cast<float *>(image.row(0, 0)),
            size_t(image.view().rowStride()) * sizeof(float)};
}
cv::Mat matOf(const Image<uint8_t> &image)
{
    return {image.height(), image.width(), CV_8U, const_cast<uint8_t *>(image.row(0, 0)),
            size_t(image.view().rowStride())};
}

/// Log light, cut at both ends, with local mean 0 and local deviation 1.
cv::Mat evened(const cv::Mat &light, double offset, double clipping)
{
    cv::Mat log = cv::min(light, clipping) + offset, mean, square, deviation;
    log = cv::max(log, 0.25 * offset);
    cv::log(log, log);
    cv::GaussianBlur(log, log, {}, 0.8);
    const double wide = std::max(4.0, light.cols / 60.0);
    cv::blur(log, mean, {int(wide) * 4 + 1, int(wide) * 4 + 1});
    log -= mean;
    cv::multiply(log, log, square);
    cv::blur(square, square, {int(wide) * 4 + 1, int(wide) * 4 + 1});
    constexpr double kFaint = 0.05;
    cv::sqrt(square + kFaint * kFaint, deviation);
    cv::divide(log, deviation, log);
    cv::Mat out;
    log.convertTo(out, CV_8U, 48.0, 128.0);
    return out;
}

} // namespace

LocalMotion::LocalMotion(const Guide &reference, int level, ExecContext &)
    : level_(level), clipping_(0.95 / reference.exposure), darkSigma_(std::sqrt(reference.variance(0.0, level)))
{
    const GuideLevel &g = reference.levels[size_t(level)];
    light_ = Image<float>(g.light.shape());
    valid_ = Image<uint8_t>(g.light.shape());
    for (int y = 0; y < g.light.height(); ++y) {
        std::copy_n(g.light.row(0, y), g.light.width(), light_.row(0, y));
        std::copy_n(g.valid.row(0, y), g.light.width(), valid_.row(0, y));
        for (int x = 0; x < g.light.width(); ++x)
            if (!valid_.row(0, y)[x])
                light_.row(0, y)[x] = std::max(light_.row(0, y)[x], float(clipping_));
    }
}

Displacements LocalMotion::find(const Guide &frame, const Transform &toFrame, ExecContext &ctx)
{
    const GuideLevel &g = frame.levels[size_t(level_)];
    const Transform t = toFrame.scaled(std::exp2(-level_));
    const int width = light_.width(), height = light_.height();
    // Where the transform puts each pixel; OpenCV's centres are at 0.
    cv::Mat mapX(height, width, CV_32F), mapY(height, width, CV_32F);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const Point p = t({x + 0.5, y + 0.5});
            mapX.at<float>(y, x) = float(p.x - 0.5);
            mapY.at<float>(y, x) = float(p.y - 0.5);
        }
    const double frameClipping = 0.95 / frame.exposure;
    cv::Mat light = matOf(g.light).clone(), warped, valid, covered;
    light.setTo(frameClipping, matOf(g.valid) == 0);
    light = cv::max(light, cv::Mat(light.size(), CV_32F, cv::Scalar(-1e9)));
    cv::remap(light, warped, mapX, mapY, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid), valid, mapX, mapY, cv::INTER_LINEAR, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::remap(cv::Mat(g.light.height(), g.light.width(), CV_8U, cv::Scalar(255)), covered, mapX, mapY, cv::INTER_LINEAR,
              cv::BORDER_CONSTANT, cv::Scalar(0));
    ctx.throwIfStopped();

    const double clipping = std::min(clipping_, frameClipping);
    const double offset = 4.0 * std::max({darkSigma_, std::sqrt(frame.variance(0.0, level_)), 1e-12});
    cv::Mat known = matOf(light_), a = evened(known, offset, clipping), b = evened(warped, offset, clipping);
    b.copyTo(b);
    a.copyTo(b, covered < 255); // nothing to compare: nothing moves
    const auto flowOf = [&](const cv::Mat &from, const cv::Mat &to) {
        const auto dis = cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_MEDIUM);
        dis->setFinestScale(1);
        dis->setPatchSize(8);
        dis->setPatchStride(3);
        dis->setGradientDescentIterations(25);
        dis->setVariationalRefinementIterations(5);
        cv::Mat flow;
        dis->calc(from, to, flow);
        return flow;
    };
    cv::Mat there = flowOf(a, b), back = flowOf(b, a);
    ctx.throwIfStopped();

    Displacements out;
    out.step = std::exp2(level_);
    out.field = Image<float>(width, height, 2);
    const float up = float(out.step);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const cv::Vec2f f = there.at<cv::Vec2f>(y, x);
            // The flow leads within the picture that the transform has warped; the frame's own pixels are wanted.
            const Point p = t({x + 0.5 + double(f[0]), y + 0.5 + double(f[1])});
            out.field.row(0, y)[x] = up * float(p.x - 0.5 - double(mapX.at<float>(y, x)));
            out.field.row(1, y)[x] = up * float(p.y - 0.5 - double(mapY.at<float>(y, x)));
        }

    // What is known from now on.
    cv::Mat x2(height, width, CV_32F), y2(height, width, CV_32F);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            x2.at<float>(y, x) = mapX.at<float>(y, x) + out.field.row(0, y)[x] / up;
            y2.at<float>(y, x) = mapY.at<float>(y, x) + out.field.row(1, y)[x] / up;
        }
    cv::Mat moved, movedValid;
    cv::remap(light, moved, x2, y2, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid), movedValid, x2, y2, cv::INTER_NEAREST, cv::BORDER_CONSTANT, cv::Scalar(0));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            if (!valid_.row(0, y)[x] && movedValid.at<uint8_t>(y, x) &&
                moved.at<float>(y, x) > 0.8f * light_.row(0, y)[x]) {
                light_.row(0, y)[x] = moved.at<float>(y, x);
                valid_.row(0, y)[x] = 1;
            }
    if (frameClipping > clipping_) {
        clipping_ = frameClipping;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                if (!valid_.row(0, y)[x])
                    light_.row(0, y)[x] = std::max(light_.row(0, y)[x], float(clipping_));
    }
    return out;
}

} // namespace yolk
