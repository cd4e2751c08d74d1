#include "align/local_motion.h"

#include "align/camera_motion.h"
#include "align/flow.h"
#include "align/propagated_flow.h"
#include "align/remap_p.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kClips = 0.95;       // of clipping
constexpr float kThereAndBack = 0.7f; // pixels of the level
constexpr float kTexture = 6.0f;      // of 255: slope of evened light over two pixels

/// Log light, to the base e, cut at `clipping`.
cv::Mat logOf(const cv::Mat &light, double offset, double clipping)
{
    cv::Mat out = cv::max(cv::min(light, clipping) + offset, 0.25 * offset);
    cv::log(out, out);
    return out;
}

cv::Mat smoothed(const cv::Mat &log)
{
    cv::Mat out;
    cv::GaussianBlur(log, out, {}, 0.8);
    return out;
}

/// Smooth log light with local mean 0 and local deviation 1, as 8 bit.
cv::Mat evened(const cv::Mat &log)
{
    cv::Mat mean, square, deviation, out;
    const int side = std::max(4, log.cols / 60) * 4 + 1;
    cv::blur(log, mean, {side, side});
    cv::Mat smooth = log - mean;
    cv::multiply(smooth, smooth, square);
    cv::blur(square, square, {side, side});
    constexpr double kFaint = 0.05; // of a factor e: what deviates less stays faint
    cv::sqrt(square + kFaint * kFaint, deviation);
    cv::divide(smooth, deviation, smooth);
    smooth.convertTo(out, CV_8U, 48.0, 128.0);
    return out;
}

cv::Mat flowOf(const cv::Mat &from, const cv::Mat &to)
{
    const auto dis = cv::DISOpticalFlow::create(cv::DISOpticalFlow::PRESET_MEDIUM);
    dis->setFinestScale(1);
    dis->setPatchSize(8);
    dis->setPatchStride(4);
    dis->setGradientDescentIterations(16);
    dis->setVariationalRefinementIterations(3);
    cv::Mat flow;
    dis->calc(from, to, flow);
    return flow;
}

/// 0 .. 1: where both pictures hold light and texture, and the flow leads back to where it came from.
Image<float> beliefIn(const cv::Mat &there, const cv::Mat &back, const cv::Mat &picture, const cv::Mat &valid,
                      ExecContext &ctx)
{
    const int width = there.cols, height = there.rows;
    cv::Mat slopeX, slopeY, texture;
    cv::Sobel(picture, slopeX, CV_32F, 1, 0, 3, 0.25);
    cv::Sobel(picture, slopeY, CV_32F, 0, 1, 3, 0.25);
    cv::magnitude(slopeX, slopeY, texture);
    cv::blur(texture, texture, {7, 7});
    Image<float> out(width, height, 1);
    ExecContext own = ctx.child({});
    forEachBand(own, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                const cv::Vec2f f = there.at<cv::Vec2f>(y, x);
                const int u = int(std::lround(float(x) + f[0])), v = int(std::lround(float(y) + f[1]));
                if (u < 0 || v < 0 || u >= width || v >= height || !valid.at<uint8_t>(y, x))
                    continue;
                const cv::Vec2f b = back.at<cv::Vec2f>(v, u);
                const float dx = f[0] + b[0], dy = f[1] + b[1], off = std::sqrt(dx * dx + dy * dy);
                out.row(0, y)[x] = std::clamp(2.0f - off / kThereAndBack, 0.0f, 1.0f) *
                                   std::clamp(texture.at<float>(y, x) / kTexture - 0.5f, 0.0f, 1.0f);
            }
    });
    cv::Mat smooth = matOf(out);
    cv::blur(smooth, smooth, {5, 5});
    return out;
}

/// Takes the belief from what moves by itself: a flow that follows it bends it into where it stood in the other frame.
void disbelieveMovers(const cv::Mat &flow, Image<float> &belief)
{
    constexpr int kEvery = 4; // pixels
    constexpr float kBelieves = 0.5f;
    const auto displacedAt = [&](int x, int y) {
        const cv::Vec2f f = flow.at<cv::Vec2f>(y, x);
        return Displaced{{double(x), double(y)}, {double(f[0]), double(f[1])}};
    };
    std::vector<Displaced> samples;
    for (int y = 0; y < belief.height(); y += kEvery)
        for (int x = 0; x < belief.width(); x += kEvery)
            if (belief.row(0, y)[x] > kBelieves)
                samples.push_back(displacedAt(x, y));
    const std::optional<Epipole> epipole = epipoleOf(samples, belief.width(), belief.height());
    if (!epipole)
        return;
    // Things are wide; single vectors that lead elsewhere are the flow's own errors.
    constexpr int kSide = 15;
    Image<float> off(belief.shape());
    for (int y = 0; y < belief.height(); ++y)
        for (int x = 0; x < belief.width(); ++x)
            if (belief.row(0, y)[x] > 0.0f && !followsCamera(*epipole, displacedAt(x, y)))
                off.row(0, y)[x] = belief.row(0, y)[x];
    cv::Mat believed, disbelieved;
    cv::boxFilter(matOf(belief), believed, CV_32F, {kSide, kSide});
    cv::boxFilter(matOf(off), disbelieved, CV_32F, {kSide, kSide});
    matOf(belief).setTo(0.0f, disbelieved > 0.5 * believed);
}

} // namespace

LocalMotion::LocalMotion(const Guide &reference, int level)
    : level_(level), clipping_(kClips / reference.exposure), darkSigma_(std::sqrt(reference.variance(0.0, level)))
{
    const GuideLevel &g = reference.levels[size_t(level)];
    light_ = Image<float>(g.light.shape());
    valid_ = Image<uint8_t>(g.light.shape());
    variance_ = Image<float>(g.light.shape());
    for (int y = 0; y < light_.height(); ++y)
        std::fill_n(light_.row(0, y), light_.width(), -INFINITY);
    learn(reference, g.light, g.valid, clipping_);
}

/// Takes over what was not known, and that what still is not lies above `clipping`.
void LocalMotion::learn(const Guide &from, const Image<float> &light, const Image<uint8_t> &valid, double clipping)
{
    constexpr float kContradicts = 0.8f; // light that is known to be at least as bright as it is not
    clipping_ = std::max(clipping_, clipping);
    for (int y = 0; y < light_.height(); ++y)
        for (int x = 0; x < light_.width(); ++x) {
            float &known = light_.row(0, y)[x];
            if (valid_.row(0, y)[x])
                continue;
            if (valid.row(0, y)[x] && light.row(0, y)[x] > kContradicts * known) {
                known = light.row(0, y)[x];
                variance_.row(0, y)[x] = float(from.variance(double(known), level_));
                valid_.row(0, y)[x] = 1;
            } else {
                known = std::max(known, float(clipping_));
            }
        }
}

/// The mean difference of smoothed log light that noise alone makes between what is known and what a frame shows.
Image<float> LocalMotion::noiseOf(const Guide &frame, const Image<float> &seen, double offset, ExecContext &ctx) const
{
    // Of a normal variable; what smoothed() leaves, 1 / sqrt(4 pi 0.8^2).
    constexpr double kMeanOfNormal = 0.798, kSmoothed = 0.353;
    Image<float> out(light_.shape(), Fill::Anything);
    ExecContext own = ctx.child({});
    forEachBand(own, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < out.width(); ++x) {
                const double a = std::max(0.0, double(light_.row(0, y)[x])) + offset;
                const double shown = std::max(0.0, double(seen.row(0, y)[x])), b = shown + offset;
                const double relative =
                    double(variance_.row(0, y)[x]) / (a * a) + frame.variance(shown, level_) / (b * b);
                out.row(0, y)[x] = float(kMeanOfNormal * kSmoothed * std::sqrt(relative));
            }
    });
    return out;
}

Displacements LocalMotion::find(const Guide &frame, const Transform &toFrame, ExecContext &ctx)
{
    const GuideLevel &g = frame.levels[size_t(level_)];
    const Transform t = toFrame.scaled(std::exp2(-level_));
    const int width = light_.width(), height = light_.height();
    const double frameClipping = kClips / frame.exposure, clipping = std::min(clipping_, frameClipping);
    cv::Mat light = matOf(g.light).clone();
    light.setTo(frameClipping, matOf(g.valid) == 0);

    // Where the transform puts each pixel.
    const RemapMaps maps = mapsOf(t, {width, height, 2}, ctx);
    const cv::Mat &mapX = maps.x, &mapY = maps.y;
    Image<uint8_t> seenKnown(width, height, 1);
    Image<float> seen(width, height, 1);
    cv::Mat covered, seenMat = matOf(seen), seenKnownMat = matOf(seenKnown);
    cv::remap(light, seenMat, mapX, mapY, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid), seenKnownMat, mapX, mapY, cv::INTER_NEAREST, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::remap(cv::Mat(light.size(), CV_8U, cv::Scalar(255)), covered, mapX, mapY, cv::INTER_LINEAR, cv::BORDER_CONSTANT,
              cv::Scalar(0));
    cv::Mat valid = seenKnownMat.clone();
    valid.setTo(0, matOf(valid_) == 0);
    ctx.throwIfStopped();

    const double offset = 4.0 * std::max({darkSigma_, std::sqrt(frame.variance(0.0, level_)), 1e-12});
    Image<float> stillLog(width, height, 1), seenLog(width, height, 1);
    smoothed(logOf(matOf(light_), offset, clipping)).copyTo(matOf(stillLog));
    smoothed(logOf(seenMat, offset, clipping)).copyTo(matOf(seenLog));
    const cv::Mat known = evened(matOf(stillLog));
    cv::Mat moving = evened(matOf(seenLog));
    known.copyTo(moving, covered < 255); // nothing to compare: nothing moves
    const cv::Mat there = flowOf(known, moving);
    ctx.throwIfStopped();
    const cv::Mat back = flowOf(moving, known);
    ctx.throwIfStopped();
    Image<float> belief = beliefIn(there, back, known, valid, ctx);
    disbelieveMovers(there, belief);
    Image<float> flow(width, height, 2), tone(width, height, 1);
    const cv::Mat log = logOf(seenMat, offset, frameClipping);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            flow.row(0, y)[x] = there.at<cv::Vec2f>(y, x)[0];
            flow.row(1, y)[x] = there.at<cv::Vec2f>(y, x)[1];
            constexpr float kStopsPerE = 1.442695f;
            tone.row(0, y)[x] = kStopsPerE * log.at<float>(y, x);
        }
    continueFlow(flow.view(), belief.view(), tone.view(), ctx);

    Image<float> moved(width, height, 1);
    Image<uint8_t> movedValid(width, height, 1);
    cv::Mat movedMat = matOf(moved), movedValidMat = matOf(movedValid);
    RemapMaps to;
    const auto follow = [&] { // the flow leads within the picture that the transform has warped: on to the frame
        to = mapsOf(t, {width, height, 2}, ctx, &flow);
        cv::remap(light, movedMat, to.x, to.y, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
        cv::remap(matOf(g.valid), movedValidMat, to.x, to.y, cv::INTER_NEAREST, cv::BORDER_CONSTANT, cv::Scalar(0));
    };
    const Image<float> noise = noiseOf(frame, seen, offset, ctx);
    propagateFlow({stillLog.view(), valid_.view(), seenLog.view(), seenKnown.view(), noise.view()}, flow, ctx);
    Image<float> movedLog(width, height, 1);
    Image<uint8_t> both(width, height, 1);
    cv::Mat movedLogMat = matOf(movedLog), bothMat = matOf(both);
    constexpr int kCorrections = 2;
    for (int i = 0; i < kCorrections; ++i) {
        ctx.throwIfStopped();
        follow();
        smoothed(logOf(movedMat, offset, clipping)).copyTo(movedLogMat);
        cv::erode(cv::min(movedValidMat, matOf(valid_)), bothMat, cv::Mat::ones(5, 5, CV_8U));
        const Image<float> step = flowCorrection(stillLog.view(), movedLog.view(), both.view(), tone.view(), ctx);
        for (int k = 0; k < 2; ++k)
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    flow.row(k, y)[x] += step.row(k, y)[x];
    }
    follow();

    // The frame's own pixels are wanted.
    Displacements out;
    out.step = std::exp2(level_);
    out.field = Image<float>(width, height, 2);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            out.field.row(0, y)[x] = float(out.step) * (to.x.at<float>(y, x) - mapX.at<float>(y, x));
            out.field.row(1, y)[x] = float(out.step) * (to.y.at<float>(y, x) - mapY.at<float>(y, x));
        }
    learn(frame, moved, movedValid, frameClipping);
    return out;
}

} // namespace yolk
