#include "align/features.h"

#include <opencv2/calib3d.hpp>
#include <opencv2/features2d.hpp>
#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace yolk {
namespace {

constexpr double kFeaturePixels = 0.7e6, kPhasePixels = 0.1e6;
constexpr int kColumns = 8, kRows = 6, kPerCell = 50;

/// Log light with local mean 0 and, where there is more than noise, local deviation 1. Clipped light stands at
/// clipping.
cv::Mat evened(const Guide &guide, int level, double clipping)
{
    const GuideLevel &g = guide.levels[size_t(level)];
    const int width = g.light.width(), height = g.light.height();
    const double sigma = std::sqrt(std::max(guide.variance(0.0, level), 1e-24));
    clipping = std::min(clipping, 0.95 / guide.exposure);
    cv::Mat log(height, width, CV_32F), mean, square, deviation;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double light = g.valid.row(0, y)[x] ? std::min(double(g.light.row(0, y)[x]), clipping) : clipping;
            log.at<float>(y, x) = float(std::log2(std::max(light, -2.0 * sigma) + 4.0 * sigma));
        }
    cv::GaussianBlur(log, log, {}, 1.0);
    const double wide = std::max(4.0, width / 60.0);
    cv::GaussianBlur(log, mean, {}, wide);
    log -= mean;
    cv::multiply(log, log, square);
    cv::GaussianBlur(square, square, {}, wide);
    constexpr double kFaint = 0.06; // stops: what deviates less stays faint
    cv::sqrt(square + kFaint * kFaint, deviation);
    cv::divide(log, deviation, log);
    return log;
}

Transform transformOf(const cv::Mat &matrix, double scale)
{
    Matrix3 m;
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j)
            m.m[size_t(3 * i + j)] = i < matrix.rows ? matrix.at<double>(i, j) : (j == 2 ? 1.0 : 0.0);
    const Matrix3 in{{1, 0, -0.5, 0, 1, -0.5, 0, 0, 1}},
        out{{1, 0, 0.5, 0, 1, 0.5, 0, 0, 1}}; // OpenCV's centres are at 0
    return Transform{out * m * in}.scaled(scale);
}

/// Neither mirrored nor squeezed nor turned into a line.
bool isPlausible(const Transform &t, double width, double height)
{
    const Motion motion = motionOf(t, width, height);
    if (!(motion.scale > 0.6 && motion.scale < 1.7))
        return false;
    const Point a = t({0, 0}), b = t({width, 0}), c = t({width, height}), d = t({0, height});
    const auto turn = [](Point p, Point q, Point r) { return (q.x - p.x) * (r.y - p.y) - (q.y - p.y) * (r.x - p.x); };
    const double least = 0.3 * width * height;
    return turn(a, b, c) > least && turn(b, c, d) > least && turn(c, d, a) > least && turn(d, a, b) > least;
}

} // namespace

struct Overview::Data {
    int level = 0;
    double width = 0, height = 0; // of the first level
    cv::Mat picture;
};

struct Features::Data {
    int level = 0;
    double width = 0, height = 0; // of the first level
    std::vector<cv::KeyPoint> corners;
    cv::Mat descriptors;
};

Overview overviewOf(const Guide &guide, double clipping)
{
    auto data = std::make_shared<Overview::Data>();
    data->level = guide.levelOf(kPhasePixels);
    data->width = guide.width;
    data->height = guide.height;
    cv::Mat window, picture = evened(guide, data->level, clipping);
    cv::createHanningWindow(window, picture.size(), CV_32F); // edges are no shift
    cv::multiply(picture, window, picture);
    // OpenCV's phase correlation takes the middle of an odd number of pixels for half a pixel's shift.
    const auto missing = [](int size) { return 2 * cv::getOptimalDFTSize((size + 1) / 2) - size; };
    cv::copyMakeBorder(picture, data->picture, 0, missing(picture.rows), 0, missing(picture.cols), cv::BORDER_CONSTANT,
                       cv::Scalar(0));
    return {data};
}

Features featuresOf(const Guide &guide, double clipping)
{
    auto data = std::make_shared<Features::Data>();
    data->level = guide.levelOf(kFeaturePixels);
    data->width = guide.width;
    data->height = guide.height;
    cv::Mat picture;
    evened(guide, data->level, clipping).convertTo(picture, CV_8U, 40.0, 128.0);
    const auto detector =
        cv::ORB::create(8 * kColumns * kRows * kPerCell, 1.25f, 4, 24, 0, 2, cv::ORB::HARRIS_SCORE, 31, 12);
    std::vector<cv::KeyPoint> all;
    detector->detect(picture, all);
    std::ranges::stable_sort(all, std::greater{}, &cv::KeyPoint::response);
    std::map<std::pair<int, int>, int> taken;
    for (const cv::KeyPoint &k : all) {
        const std::pair cell(int(k.pt.x * kColumns / float(picture.cols)), int(k.pt.y * kRows / float(picture.rows)));
        if (taken[cell]++ < kPerCell)
            data->corners.push_back(k);
    }
    detector->compute(picture, data->corners, data->descriptors);
    return {data};
}

std::vector<Transform> likelyTransforms(const Features &still, const Features &moving)
{
    const Features::Data &a = *still.data, &b = *moving.data;
    std::vector<Transform> out;
    const auto add = [&](const Transform &t) {
        if (isPlausible(t, a.width, a.height))
            out.push_back(t);
    };
    std::vector<cv::Point2f> from, to;
    if (a.descriptors.rows >= 2 && b.descriptors.rows >= 2) {
        std::vector<std::vector<cv::DMatch>> matches;
        cv::BFMatcher(cv::NORM_HAMMING).knnMatch(a.descriptors, b.descriptors, matches, 2);
        const float scale = float(std::exp2(b.level - a.level)); // to pixels of a's level
        for (const auto &m : matches) {
            constexpr float kDistinct = 0.85f;
            if (m.size() < 2 || m[0].distance > kDistinct * m[1].distance)
                continue;
            from.push_back(a.corners[size_t(m[0].queryIdx)].pt);
            to.push_back(b.corners[size_t(m[0].trainIdx)].pt * scale);
        }
    }
    const double up = std::exp2(a.level);
    constexpr size_t kFewest = 8;
    for (int round = 0; round < 2 && from.size() >= kFewest; ++round) {
        std::vector<uchar> inliers;
        const cv::Mat similar = cv::estimateAffinePartial2D(from, to, {}, cv::RANSAC, 6.0, 2000, 0.999);
        const cv::Mat projective = cv::findHomography(from, to, cv::RANSAC, 3.0, inliers, 2000, 0.999);
        if (!projective.empty())
            add(transformOf(projective, up));
        if (!similar.empty())
            add(transformOf(similar, up));
        if (projective.empty())
            break;
        std::vector<cv::Point2f> restFrom, restTo;
        for (size_t i = 0; i < from.size(); ++i)
            if (!inliers[i]) {
                restFrom.push_back(from[i]);
                restTo.push_back(to[i]);
            }
        from = std::move(restFrom);
        to = std::move(restTo);
    }
    return out;
}

std::vector<Transform> likelyShifts(const Overview &still, const Overview &moving)
{
    const Overview::Data &a = *still.data, &b = *moving.data;
    std::vector<Transform> out;
    if (a.picture.size() == b.picture.size()) {
        // Without its window, which it would multiply into these pictures, that others look at too.
        const cv::Point2d shift = cv::phaseCorrelate(a.picture, b.picture);
        const double scale = std::exp2(a.level);
        const Transform t{Matrix3{{1, 0, shift.x * scale, 0, 1, shift.y * scale, 0, 0, 1}}};
        constexpr double kMoves = 0.5; // pixels; from less, stillness is as good a start
        if (std::hypot(shift.x, shift.y) >= kMoves && isPlausible(t, a.width, a.height))
            out.push_back(t);
    }
    out.push_back({});
    return out;
}

} // namespace yolk
