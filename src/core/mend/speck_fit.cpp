#include "mend/speck_fit_p.h"

#include "mend/speck_shape.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

/// What a fit says at one place and in one of the quarters round it.
struct LocalFit {
    double depth = 0.0, deviation = 1e9, left = 0.0, count = 0.0;
};

/// `quarter` -1: all round. Quarters overlap in nothing; the level is that of all round.
LocalFit fitAt(const Evidence &of, const cv::Point2d &at, double radius, int quarter)
{
    double w = 0, k = 0, kk = 0, v = 0, kv = 0, vv = 0, n = 0;
    const int reach = int(std::ceil(kSpeckWindow * radius));
    for (int dy = -reach; dy <= reach; ++dy)
        for (int dx = -reach; dx <= reach; ++dx) {
            const int x = int(at.x) + dx, y = int(at.y) + dy;
            const double ex = x + 0.5 - at.x, ey = y + 0.5 - at.y, d = std::hypot(ex, ey) / radius;
            if (x < 0 || y < 0 || x >= of.weight.cols || y >= of.weight.rows || d > kSpeckWindow)
                continue;
            if (quarter >= 0 &&
                (int(std::floor((std::atan2(ey, ex) + std::numbers::pi) / (std::numbers::pi / 2.0))) & 3) != quarter)
                continue;
            const double weight = double(of.weight.at<float>(y, x));
            if (!(weight > 0.0))
                continue;
            const double shape = speckShape(d * d), value = double(of.residual.at<float>(y, x));
            w += weight;
            k += weight * shape;
            kk += weight * shape * shape;
            v += weight * value;
            kv += weight * shape * value;
            vv += weight * value * value;
            ++n;
        }
    const double spread = w * kk - k * k;
    LocalFit out{.count = n};
    if (!(spread > 1e-6 * w * kk) || n < 8.0)
        return out;
    out.depth = -(w * kv - k * v) / spread;
    const double level = (v + out.depth * k) / w;
    const double rough = std::sqrt(std::max(0.0, vv - level * v + out.depth * kv) / (n - 2.0));
    out.deviation = std::sqrt(w / spread) * std::max(1.0, rough);
    out.left = rough * std::sqrt(n / w); // stops: RMS about the fit
    return out;
}

} // namespace

bool isRound(const Evidence &of, const cv::Point2d &at, double radius, double depth)
{
    constexpr double kShare = 0.4, kDeviations = 2.0;
    for (int quarter = 0; quarter < 4; ++quarter) {
        const LocalFit fit = fitAt(of, at, radius, quarter);
        if (fit.depth + kDeviations * fit.deviation < kShare * depth || fit.depth < 0.1 * depth)
            return false;
    }
    return true;
}

bool isAlone(const Evidence &of, const cv::Point2d &at, double radius, double depth, double inner, double outer)
{
    constexpr int kDirections = 4;
    constexpr double kShare = 0.35, kDeviations = 2.0;
    std::array<double, kDirections> sums{}, weights{};
    const int reach = int(std::ceil(outer * radius));
    for (int dy = -reach; dy <= reach; ++dy)
        for (int dx = -reach; dx <= reach; ++dx) {
            const int x = int(at.x) + dx, y = int(at.y) + dy;
            const double ex = x + 0.5 - at.x, ey = y + 0.5 - at.y, d = std::hypot(ex, ey) / radius;
            if (x < 0 || y < 0 || x >= of.weight.cols || y >= of.weight.rows || d < inner || d > outer)
                continue;
            const double turn = std::atan2(ey, ex) / std::numbers::pi + 1.0; // 0 to 2
            const auto direction = size_t(std::lround(turn * kDirections)) % kDirections;
            const double weight = double(of.weight.at<float>(y, x));
            sums[direction] += weight * double(of.residual.at<float>(y, x));
            weights[direction] += weight;
        }
    double sum = 0.0, weight = 0.0;
    for (int i = 0; i < kDirections; ++i) {
        sum += sums[size_t(i)];
        weight += weights[size_t(i)];
    }
    for (int i = 0; i < kDirections; ++i)
        if (weights[size_t(i)] > 0.0 && std::abs(sums[size_t(i)] / weights[size_t(i)] - sum / weight) >
                                            kShare * depth + kDeviations / std::sqrt(weights[size_t(i)]))
            return false;
    return true;
}

bool isOnSmoothLight(const Evidence &light, const cv::Point2d &at, double radius, double depth)
{
    constexpr double kLeft = 1.0 / 3.0, kWider = 2.0;
    // A plane and the speck, least squares over a wide window.
    const int reach = int(std::ceil(kWider * kSpeckWindow * radius));
    cv::Matx<double, 4, 4> normal = cv::Matx<double, 4, 4>::zeros();
    cv::Matx<double, 4, 1> right = cv::Matx<double, 4, 1>::zeros();
    double squares = 0.0, n = 0.0, noise = 0.0;
    for (int dy = -reach; dy <= reach; ++dy)
        for (int dx = -reach; dx <= reach; ++dx) {
            const int x = int(at.x) + dx, y = int(at.y) + dy;
            const double ex = (x + 0.5 - at.x) / radius, ey = (y + 0.5 - at.y) / radius, d = std::hypot(ex, ey);
            if (d > kWider * kSpeckWindow)
                continue;
            if (x < 0 || y < 0 || x >= light.weight.cols || y >= light.weight.rows ||
                !(light.weight.at<float>(y, x) > 0.0f))
                return false;
            const double value = double(light.residual.at<float>(y, x));
            const std::array<double, 4> terms{1.0, ex, ey, -speckShape(d * d)};
            for (int i = 0; i < 4; ++i) {
                for (int j = 0; j < 4; ++j)
                    normal(i, j) += terms[size_t(i)] * terms[size_t(j)];
                right(i, 0) += terms[size_t(i)] * value;
            }
            squares += value * value;
            noise += 1.0 / double(light.weight.at<float>(y, x));
            ++n;
        }
    cv::Matx<double, 4, 1> found;
    if (!cv::solve(normal, right, found, cv::DECOMP_CHOLESKY))
        return false;
    const double left = std::max(0.0, squares - (right.t() * found)(0, 0)) / n;
    const double structure = std::sqrt(std::max(0.0, left - noise / n));
    return found(3, 0) > 0.5 * depth && structure < kLeft * found(3, 0);
}

void refine(const Evidence &of, cv::Point2d &at, double &radius, double &depth)
{
    constexpr double kSmaller = 0.7, kLarger = 2.4, kStep = 1.12, kBeside = 2.0, kHalf = 0.5; // radii; pixels
    double most = 0.0;
    const auto tryOne = [&](const cv::Point2d &place, double r) {
        const LocalFit fit = fitAt(of, place, r, -1);
        if (fit.depth / fit.deviation <= most)
            return false;
        most = fit.depth / fit.deviation;
        depth = fit.depth;
        return true;
    };
    const double found = radius;
    for (double r = kSmaller * found; r <= kLarger * found; r *= kStep)
        if (tryOne(at, r))
            radius = r;
    const cv::Point2d from = at;
    for (double dy = -kBeside; dy <= kBeside; dy += kHalf)
        for (double dx = -kBeside; dx <= kBeside; dx += kHalf)
            if (const cv::Point2d place(from.x + dx, from.y + dy); tryOne(place, radius))
                at = place;
    for (double r = kSmaller * found; r <= kLarger * found; r *= kStep)
        if (tryOne(at, r))
            radius = r;
}

} // namespace yolk
