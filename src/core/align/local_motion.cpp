#include "align/local_motion.h"

#include "align/camera_motion.h"
#include "align/flow.h"
#include "align/propagated_flow.h"
#include "align/remap_p.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include <algorithm>
#include <array>
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

/// A frame where the transform brings it, at the level.
struct LocalMotion::Seen {
    Transform toFrame;       ///< of the level
    double clipping, offset; ///< light at which both are cut; that is added before the logarithm
    double frameClipping;
    cv::Mat light; ///< the frame itself, what clips at frameClipping
    RemapMaps maps;
    Image<float> seen, seenLog, stillLog, noise, tone;
    Image<uint8_t> known;
    cv::Mat covered; ///< 255 where it shows something
    FlowSides sides(const Image<uint8_t> &stillKnown) const
    {
        return {stillLog.view(), stillKnown.view(), seenLog.view(), known.view(), noise.view()};
    }
};

LocalMotion::Seen LocalMotion::seenBy(const Guide &frame, const Transform &toFrame, ExecContext &ctx) const
{
    const GuideLevel &g = frame.levels[size_t(level_)];
    const int width = light_.width(), height = light_.height();
    Seen out;
    out.toFrame = toFrame.scaled(std::exp2(-level_));
    out.frameClipping = kClips / frame.exposure;
    out.clipping = std::min(clipping_, out.frameClipping);
    out.offset = 4.0 * std::max({darkSigma_, std::sqrt(frame.variance(0.0, level_)), 1e-12});
    out.light = matOf(g.light).clone();
    out.light.setTo(out.frameClipping, matOf(g.valid) == 0);
    out.maps = mapsOf(out.toFrame, {width, height, 2}, ctx);
    out.known = Image<uint8_t>(width, height, 1);
    out.seen = Image<float>(width, height, 1);
    cv::Mat seen = matOf(out.seen), known = matOf(out.known);
    cv::remap(out.light, seen, out.maps.x, out.maps.y, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
    cv::remap(matOf(g.valid), known, out.maps.x, out.maps.y, cv::INTER_NEAREST, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::remap(cv::Mat(out.light.size(), CV_8U, cv::Scalar(255)), out.covered, out.maps.x, out.maps.y, cv::INTER_LINEAR,
              cv::BORDER_CONSTANT, cv::Scalar(0));
    ctx.throwIfStopped();
    out.stillLog = Image<float>(width, height, 1);
    out.seenLog = Image<float>(width, height, 1);
    out.tone = Image<float>(width, height, 1);
    smoothed(logOf(matOf(light_), out.offset, out.clipping)).copyTo(matOf(out.stillLog));
    smoothed(logOf(seen, out.offset, out.clipping)).copyTo(matOf(out.seenLog));
    constexpr double kStopsPerE = 1.442695;
    cv::Mat(kStopsPerE * logOf(seen, out.offset, out.frameClipping)).copyTo(matOf(out.tone));
    out.noise = noiseOf(frame, out.seen, out.offset, ctx);
    return out;
}

BelievedFlow LocalMotion::firstFlow(const Seen &seen, ExecContext &ctx) const
{
    const cv::Mat still = evened(matOf(seen.stillLog));
    cv::Mat moving = evened(matOf(seen.seenLog));
    still.copyTo(moving, seen.covered < 255); // nothing to compare: nothing moves
    cv::Mat both = matOf(seen.known).clone();
    both.setTo(0, matOf(valid_) == 0);
    const cv::Mat there = flowOf(still, moving);
    ctx.throwIfStopped();
    const cv::Mat back = flowOf(moving, still);
    ctx.throwIfStopped();
    BelievedFlow out{Image<float>(light_.width(), light_.height(), 2), beliefIn(there, back, still, both, ctx)};
    disbelieveMovers(there, out.belief);
    for (int k = 0; k < 2; ++k)
        cv::extractChannel(there, matOf(out.flow, k), k);
    continueFlow(out.flow.view(), out.belief.view(), seen.tone.view(), ctx);
    return out;
}

/// The flow at the borders of things, corrected, as the frame's own pixels want it. What the frame shows is learnt.
Displacements LocalMotion::settled(const Guide &frame, const Seen &seen, std::span<const Image<float>> offered,
                                   std::span<const int> reaches, Image<float> &flow, ExecContext &ctx)
{
    const int width = light_.width(), height = light_.height();
    propagateFlow(seen.sides(valid_), offered, reaches, flow, ctx);
    Image<float> moved(width, height, 1), movedLog(width, height, 1);
    Image<uint8_t> movedValid(width, height, 1), both(width, height, 1);
    cv::Mat movedMat = matOf(moved), movedValidMat = matOf(movedValid), movedLogMat = matOf(movedLog),
            bothMat = matOf(both);
    RemapMaps to;
    const auto follow = [&] { // the flow leads within the picture that the transform has warped: on to the frame
        to = mapsOf(seen.toFrame, {width, height, 2}, ctx, &flow);
        cv::remap(seen.light, movedMat, to.x, to.y, cv::INTER_CUBIC, cv::BORDER_REPLICATE);
        cv::remap(matOf(frame.levels[size_t(level_)].valid), movedValidMat, to.x, to.y, cv::INTER_NEAREST,
                  cv::BORDER_CONSTANT, cv::Scalar(0));
    };
    ctx.throwIfStopped();
    follow();
    smoothed(logOf(movedMat, seen.offset, seen.clipping)).copyTo(movedLogMat);
    cv::erode(cv::min(movedValidMat, matOf(valid_)), bothMat, cv::Mat::ones(5, 5, CV_8U));
    const Image<float> step = flowCorrection(seen.stillLog.view(), movedLog.view(), both.view(), seen.tone.view(), ctx);
    for (int k = 0; k < 2; ++k)
        cv::add(matOf(flow, k), matOf(step, k), matOf(flow, k));
    follow();
    Displacements out;
    out.step = std::exp2(level_);
    out.field = Image<float>(width, height, 2);
    cv::Mat(out.step * (to.x - seen.maps.x)).copyTo(matOf(out.field, 0));
    cv::Mat(out.step * (to.y - seen.maps.y)).copyTo(matOf(out.field, 1));
    learn(frame, moved, movedValid, seen.frameClipping);
    return out;
}

void LocalMotion::find(const Guide &frame, const Transform &toFrame, ExecContext &ctx)
{
    const Seen seen = seenBy(frame, toFrame, ctx);
    BelievedFlow &own = found_.emplace_back(firstFlow(seen, ctx));
    settled(frame, seen, {}, std::array{32, 16, 8, 4}, own.flow, ctx);
}

Displacements LocalMotion::finish(size_t found, const Guide &frame, const Transform &toFrame, ExecContext &ctx)
{
    if (found >= found_.size())
        throw ArgumentError("local motion: there is no such frame");
    BelievedFlow &own = found_[found];
    std::vector<Image<float>> offered;
    constexpr size_t kReach = 2; // frames before and after it: nearer exposures show more in common
    for (size_t other = found - std::min(found, kReach); other < std::min(found_.size(), found + kReach + 1); ++other)
        if (other != found)
            if (auto foretold = foretoldFlow(found_[other], own, ctx))
                offered.push_back(std::move(*foretold));
    return settled(frame, seenBy(frame, toFrame, ctx), offered, std::array{16, 8, 4, 2}, own.flow, ctx);
}

} // namespace yolk
