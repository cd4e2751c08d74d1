#include "lens/fringes.h"

#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <Eigen/Dense>
#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>
#include <vector>

namespace yolk {
namespace {

constexpr double kClippedFrom = 0.97;
const cv::Size kWindow(9, 9); // edges are made comparable within it

/// A channel with its local mean taken away and its local deviation made 1, and where that means something.
struct Edges {
    cv::Mat values; ///< float
    cv::Mat power;  ///< mean of their squares
    cv::Mat valid;  ///< 1 where edges stand out of the noise and nothing clips, else 0
};

Edges edgesOf(const cv::Mat &linear, const NoiseModel &noise)
{
    // In linear light, where a channel that the sensor mixes from several colours moves by the mean of their fringes.
    cv::Mat mean, square, deviation, sigma;
    cv::boxFilter(linear, mean, CV_32F, kWindow);
    cv::boxFilter(linear.mul(linear), square, CV_32F, kWindow);
    cv::sqrt(cv::max(square - mean.mul(mean), 1e-12), deviation);
    Edges out;
    out.values = (linear - mean) / deviation;
    cv::boxFilter(out.values.mul(out.values), out.power, CV_32F, kWindow);
    cv::sqrt(cv::max(mean, 0.0) * noise.gain + noise.readVariance, sigma);
    cv::Mat bright;
    cv::dilate(linear, bright, cv::getStructuringElement(cv::MORPH_RECT, kWindow));
    constexpr double kStandsOut = 4.0; // times the noise
    out.valid = (deviation > kStandsOut * sigma) & (bright < kClippedFrom);
    return out;
}

/// Radial model plus a constant shift; all in pixels of the picture at hand, r = 1 at the corners.
using Model = Eigen::Vector4d; // scale, bend, shift x, shift y

cv::Mat movedBy(const cv::Mat &channel, const Model &m)
{
    const double cx = channel.cols / 2.0, cy = channel.rows / 2.0, corner = cx * cx + cy * cy;
    cv::Mat map(channel.size(), CV_32FC2);
    for (int y = 0; y < map.rows; ++y) {
        auto *row = map.ptr<cv::Vec2f>(y);
        for (int x = 0; x < map.cols; ++x) {
            const double dx = x + 0.5 - cx, dy = y + 0.5 - cy;
            const double more = m[0] + m[1] * (dx * dx + dy * dy) / corner;
            row[x] = {float(x + more * dx + m[2]), float(y + more * dy + m[3])};
        }
    }
    cv::Mat out;
    cv::remap(channel, out, map, cv::noArray(), cv::INTER_CUBIC, cv::BORDER_REFLECT);
    return out;
}

/// One step of least squares: by how much the model must change so that `moved` lies on green.
std::optional<Model> improvement(const Edges &green, const Edges &moved)
{
    cv::Mat gx, gy;
    cv::Sobel(moved.values, gx, CV_32F, 1, 0, 3, 1.0 / 8.0);
    cv::Sobel(moved.values, gy, CV_32F, 0, 1, 3, 1.0 / 8.0);
    cv::Mat together;
    cv::boxFilter(green.values.mul(moved.values), together, CV_32F, kWindow);
    constexpr float kAlike = 0.8f; // correlation of the two within a window
    const double cx = moved.values.cols / 2.0, cy = moved.values.rows / 2.0, corner = cx * cx + cy * cy;
    Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
    Eigen::Vector4d b = Eigen::Vector4d::Zero();
    long long count = 0;
    constexpr int kMargin = 8;
    for (int y = kMargin; y < moved.values.rows - kMargin; ++y)
        for (int x = kMargin; x < moved.values.cols - kMargin; ++x) {
            if (!green.valid.at<uchar>(y, x) || !moved.valid.at<uchar>(y, x) ||
                together.at<float>(y, x) <
                    kAlike * std::sqrt(green.power.at<float>(y, x) * moved.power.at<float>(y, x)))
                continue;
            const double u = double(gx.at<float>(y, x)), v = double(gy.at<float>(y, x));
            const double error = double(green.values.at<float>(y, x)) - double(moved.values.at<float>(y, x));
            const double dx = x + 0.5 - cx, dy = y + 0.5 - cy, along = u * dx + v * dy;
            const Model row(along, along * (dx * dx + dy * dy) / corner, u, v);
            const double weight = 1.0 / (1.0 + error * error * 16.0); // colour edges differ in more than place
            a += weight * row * row.transpose();
            b += weight * error * row;
            ++count;
        }
    constexpr long long kFewest = 2000;
    if (count < kFewest)
        return std::nullopt;
    a(1, 1) += 0.1 * a(0, 0); // edges near the corners are few: most lenses need little bend
    return a.ldlt().solve(b);
}

std::optional<ChannelFringe> fringeOf(const Edges &green, const cv::Mat &channel, const NoiseModel &noise,
                                      ExecContext &ctx)
{
    Model model = Model::Zero();
    constexpr int kRounds = 3;       // the first brings it within a tenth of a pixel
    constexpr double kEnough = 0.01; // pixels in the corners
    const double corner = std::hypot(channel.cols, channel.rows) / 2.0;
    for (int round = 0; round < kRounds; ++round) {
        ctx.throwIfStopped();
        const auto step = improvement(green, edgesOf(movedBy(channel, model), noise));
        if (!step)
            return std::nullopt;
        model += *step;
        if (std::abs((*step)[0] + (*step)[1]) * corner + std::hypot((*step)[2], (*step)[3]) < kEnough)
            break;
    }
    constexpr double kLargest = 0.01; // of the distance from the middle; more is no lens
    if (!model.allFinite() || std::abs(model[0]) > kLargest || std::abs(model[0] + model[1]) > kLargest)
        return std::nullopt;
    return ChannelFringe{model[0], model[1]};
}

constexpr int kPhases = 128;

/// Catmull-Rom weights for kPhases places between two pixels.
const std::array<std::array<float, 4>, kPhases + 1> &cubicWeights()
{
    static const auto table = [] {
        std::array<std::array<float, 4>, kPhases + 1> out{};
        for (int i = 0; i <= kPhases; ++i) {
            const double t = double(i) / kPhases;
            out[size_t(i)] = {float(((-0.5 * t + 1.0) * t - 0.5) * t), float((1.5 * t - 2.5) * t * t + 1.0),
                              float(((-1.5 * t + 2.0) * t + 0.5) * t), float((0.5 * t - 0.5) * t * t)};
        }
        return out;
    }();
    return table;
}

/// Between pixels the fourth roots of values are interpolated, and held within the neighbours' range: light that is a
/// thousand times as bright as what stands beside it would spread colour into that.
const std::vector<float> &codeRoots()
{
    static const auto table = [] {
        std::vector<float> out(65536);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = std::sqrt(std::sqrt(float(i)));
        return out;
    }();
    return table;
}

void rootsOf(const uint16_t *values, int step, int count, float *out)
{
    const float *table = codeRoots().data();
    for (int i = 0; i < count; ++i)
        out[i] = table[values[ptrdiff_t(i) * step]];
}

/// The value with that root, to the last bit where it is one of codeRoots().
YOLK_INLINE uint16_t valueOf(float root)
{
    const float square = root * root;
    return uint16_t(int(square * square + 0.5f));
}

/// How a plane lies in the picture, in its own pixels.
struct PlanePlace {
    double cx = 0.0, cy = 0.0;         ///< the picture's middle, centres of pixels at +0.5
    std::array<double, 2> offset = {}; ///< of its samples off the middles of pixels
};

/// One row of one channel, taken from where the lens put it. What is clipped, by its root, is not mixed.
YOLK_MULTIVERSION
void correctedRow(ImageView<const float> roots, const ChannelFringe &fringe, const PlanePlace &place, float clipped,
                  int y, uint16_t *out)
{
    const double cx = place.cx, cy = place.cy;
    const auto &weights = cubicWeights();
    const int width = roots.width(), height = roots.height();
    const double perCorner = fringe.bend / (cx * cx + cy * cy), dy = y + 0.5 - cy;
    for (int x = 0; x < width; ++x) {
        const double dx = x + 0.5 - cx, more = fringe.scale + perCorner * (dx * dx + dy * dy);
        const double sx = x + more * dx - place.offset[0], sy = y + more * dy - place.offset[1];
        constexpr int kAway = 1 << 16; // makes the cut to integers a floor: shifts are at most a few hundred pixels
        const int fx = int(sx + kAway) - kAway, fy = int(sy + kAway) - kAway;
        const double px = sx - fx, py = sy - fy;
        const float *down = weights[size_t(py * kPhases + 0.5)].data();
        const bool inside = fx >= 1 && fx + 2 < width && fy >= 1 && fy + 2 < height;
        Float4 sum{}, least{}, most{};
        for (int j = 0; j < 4; ++j) {
            const float *row = roots.row(0, inside ? fy + j - 1 : std::clamp(fy + j - 1, 0, height - 1));
            const Float4 line =
                inside ? loaded<Float4>(row + fx - 1)
                       : Float4{row[std::clamp(fx - 1, 0, width - 1)], row[std::clamp(fx, 0, width - 1)],
                                row[std::clamp(fx + 1, 0, width - 1)], row[std::clamp(fx + 2, 0, width - 1)]};
            sum += down[j] * line;
            least = j == 0 || line < least ? line : least;
            most = line > most ? line : most;
        }
        const Float4 across = sum * loaded<Float4>(weights[size_t(px * kPhases + 0.5)].data());
        const float root = (across[0] + across[1]) + (across[2] + across[3]);
        const float low = std::min(std::min(least[0], least[1]), std::min(least[2], least[3]));
        const float high = std::max(std::max(most[0], most[1]), std::max(most[2], most[3]));
        const int nx = std::clamp(fx + (px >= 0.5), 0, width - 1), ny = std::clamp(fy + (py >= 0.5), 0, height - 1);
        const float nearest = roots.row(0, ny)[nx];
        out[x] = valueOf(nearest >= clipped ? nearest : std::min(std::max(root, low), high));
    }
}

} // namespace

double Fringes::largestShift(int width, int height) const
{
    const double half = std::hypot(width, height) / 2.0;
    double most = 0.0;
    for (int i = 1; i <= 16; ++i)
        most = std::max({most, std::abs(red.at(i / 16.0)) * i / 16.0, std::abs(blue.at(i / 16.0)) * i / 16.0});
    return most * half;
}

std::optional<Fringes> estimateFringes(ImageView<const uint16_t> codes, const NoiseModel &noise, ExecContext &ctx)
{
    if (codes.planes() != 3 || codes.width() < 64 || codes.height() < 64)
        throw ArgumentError("fringes: needs three planes of at least 64 x 64");
    std::array<cv::Mat, 3> linear;
    for (int c = 0; c < 3; ++c) {
        linear[size_t(c)].create(codes.height(), codes.width(), CV_32F);
        for (int y = 0; y < codes.height(); ++y)
            std::transform(codes.row(c, y), codes.row(c, y) + codes.width(), linear[size_t(c)].ptr<float>(y),
                           linearOfCode);
    }
    const Edges green = edgesOf(linear[1], noise);
    std::array<std::optional<ChannelFringe>, 2> found;
    forEachPart(ctx, 2, [&](int i, ExecContext &own) {
        found[size_t(i)] = fringeOf(green, linear[size_t(2 * i)], noise, own);
    });
    if (!found[0] || !found[1])
        return std::nullopt;
    return Fringes{*found[0], *found[1], Fringes::Source::Picture};
}

void correctFringes(Image<uint16_t> &codes, const Fringes &fringes, const ColourOffsets &offsets, ExecContext &ctx)
{
    const Shape shape = codes.shape();
    const double cx = shape.width / 2.0, cy = shape.height / 2.0;
    const std::tuple<int, const ChannelFringe *, PlanePlace> channels[2] = {{0, &fringes.red, {cx, cy, offsets.red}},
                                                                            {2, &fringes.blue, {cx, cy, offsets.blue}}};
    ExecContext own = ctx.child({});
    const float clipped = codeRoots()[codeOfLinear(kClippedFrom)];
    Image<float> roots({shape.width, shape.height, 1}, Fill::Anything);
    for (const auto &[plane, fringe, place] : channels) {
        forEachBand(own, shape.height, [&](int y0, int y1) {
            for (int y = y0; y < y1; ++y)
                rootsOf(codes.row(plane, y), 1, shape.width, roots.row(0, y));
        });
        forEachBand(own, shape.height, [&](int y0, int y1) {
            for (int y = y0; y < y1; ++y)
                correctedRow(roots.view(), *fringe, place, clipped, y, codes.row(plane, y));
        });
    }
    ctx.report(1.0);
}

void correctFringes(const Mosaic &mosaic, const Fringes &fringes, ExecContext &ctx)
{
    const std::pair<std::array<int, 2>, const ChannelFringe *> channels[2] = {{mosaic.red, &fringes.red},
                                                                              {mosaic.blue, &fringes.blue}};
    const int full = mosaic.values.width(), tall = mosaic.values.height();
    ExecContext own = ctx.child({});
    for (const auto &[cell, fringe] : channels) {
        Image<float> roots({(full - cell[0] + 1) / 2, (tall - cell[1] + 1) / 2, 1}, Fill::Anything);
        forEachBand(own, roots.height(), [&](int y0, int y1) {
            for (int y = y0; y < y1; ++y)
                rootsOf(mosaic.values.row(0, 2 * y + cell[1]) + cell[0], 2, roots.width(), roots.row(0, y));
        });
        // The middle of the picture, seen from samples two pixels apart.
        const PlanePlace place{(full / 2.0 - cell[0] - 0.5) / 2.0 + 0.5, (tall / 2.0 - cell[1] - 0.5) / 2.0 + 0.5};
        const float clipped = codeRoots()[uint16_t(kClippedFrom * mosaic.clipped)];
        forEachBand(own, roots.height(), [&](int y0, int y1) {
            std::vector<uint16_t> row(size_t(roots.width()));
            for (int y = y0; y < y1; ++y) {
                correctedRow(roots.view(), *fringe, place, clipped, y, row.data());
                for (int x = 0; x < roots.width(); ++x)
                    mosaic.values.row(0, 2 * y + cell[1])[2 * x + cell[0]] = row[size_t(x)];
            }
        });
    }
    ctx.report(1.0);
}

} // namespace yolk
