#include "mend/speck_score_p.h"

#include "mend/speck_shape.h"

#include <Eigen/Cholesky>
#include <Eigen/Core>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <numeric>
#include <utility>

namespace yolk {
namespace {

/// Least squares of a few terms; the second one is the depth.
template <int N> struct NormalEquations {
    using Terms = Eigen::Matrix<double, N, 1>;
    Eigen::Matrix<double, N, N> matrix = Eigen::Matrix<double, N, N>::Zero();
    Terms right = Terms::Zero(), solution = Terms::Zero();
    double squares = 0.0, variance = 0.0; ///< of what is explained; of the depth, where weights are right
    int count = 0;

    void add(const Terms &terms, double value, double weight)
    {
        matrix.noalias() += weight * terms * terms.transpose();
        right += weight * value * terms;
        squares += weight * value * value;
        ++count;
    }
    /// False where terms cannot be told from each other.
    bool solve()
    {
        constexpr double kLeast = 1e-9; // of a term that the others do not say
        const Eigen::LLT<Eigen::Matrix<double, N, N>> cholesky(matrix);
        if (cholesky.info() != Eigen::Success)
            return false;
        const Terms pivots = cholesky.matrixLLT().diagonal();
        if ((pivots.array().square() <= kLeast * matrix.diagonal().array()).any())
            return false;
        solution = cholesky.solve(right);
        variance = cholesky.solve(Terms::Unit(1))[1];
        return true;
    }
    /// RMS of what is left, in the deviations that the weights promise.
    double roughness() const
    {
        return std::sqrt(std::max(0.0, squares - solution.dot(right)) / std::max(1.0, double(count - N)));
    }
};

/// Calls use(pixel, offset from `at` in pixels, distance in radii) for the pixels of a disc.
template <class Use> void forDisc(const cv::Size &size, const cv::Point2d &at, double reach, const Use &use)
{
    const int x0 = std::max(0, int(at.x - reach)), x1 = std::min(size.width - 1, int(at.x + reach));
    for (int y = std::max(0, int(at.y - reach)); y <= std::min(size.height - 1, int(at.y + reach)); ++y)
        for (int x = x0; x <= x1; ++x)
            if (const cv::Point2d off(x + 0.5 - at.x, y + 0.5 - at.y); off.dot(off) <= reach * reach)
                use(cv::Point(x, y), off);
}

/// What others show changes like this from pixel to pixel: across, down, and how far the pixel lies below those round it.
/// All zero where that is not known.
std::array<double, 3> slopesOf(const cv::Mat &others, const cv::Point &p)
{
    if (p.x < 1 || p.y < 1 || p.x + 1 >= others.cols || p.y + 1 >= others.rows)
        return {};
    const double left = double(others.at<float>(p.y, p.x - 1)), right = double(others.at<float>(p.y, p.x + 1)),
                 above = double(others.at<float>(p.y - 1, p.x)), below = double(others.at<float>(p.y + 1, p.x)),
                 here = double(others.at<float>(p));
    const std::array<double, 3> out{0.5 * (right - left), 0.5 * (below - above),
                                    left + right + above + below - 4.0 * here};
    return std::isfinite(out[0] + out[1] + out[2]) ? out : std::array<double, 3>{};
}

struct FrameFit {
    bool isKnown = false;
    double depth = 0.0, variance = 0.0, roughness = 0.0;
    Eigen::Matrix<double, 5, 1> terms = Eigen::Matrix<double, 5, 1>::Zero();
    double weight() const { return 1.0 / variance; }
};

FrameFit fitIn(const Against &frame, const cv::Point2d &at, double radius)
{
    constexpr double kSlip = 0.3; // pixels, and the like for sharpness: as much as a slip may be
    constexpr int kLeastPixels = 12;
    const auto ghosts = frame.ghostsOf(at);
    NormalEquations<5> normal;
    forDisc(frame.others.size(), at, kSpeckWindow * radius, [&](const cv::Point &p, const cv::Point2d &off) {
        const double weight = double(frame.evidence.weight.at<float>(p));
        if (!(weight > 0.0))
            return;
        const double square = radius * radius;
        double shape = speckShape(off.dot(off) / square);
        for (const Against::Ghost &ghost : ghosts) {
            const cv::Point2d from(p.x + 0.5 - ghost.at.x, p.y + 0.5 - ghost.at.y);
            shape -= ghost.share * speckShape(from.dot(from) / square);
        }
        const auto [across, down, blur] = slopesOf(frame.others, p);
        normal.add({1.0, -shape, across, down, blur}, double(frame.evidence.residual.at<float>(p)), weight);
    });
    if (normal.count < kLeastPixels)
        return {};
    normal.matrix.diagonal().tail<3>().array() += 1.0 / (kSlip * kSlip);
    if (!normal.solve())
        return {};
    const double rough = normal.roughness(), scale = std::max(1.0, rough);
    return {true, normal.solution[1], normal.variance * scale * scale, rough, normal.solution};
}

/// A speck on a curved surface of the frame's own light; not known where a pixel of the window is not.
FrameFit fitInLight(const LogLight &light, const cv::Point2d &at, double radius)
{
    constexpr double kWindow = 2.2;
    constexpr int kLeastPixels = 20;
    const double reach = kWindow * radius;
    if (at.x - reach < 0.0 || at.y - reach < 0.0 || at.x + reach >= light.stops.cols ||
        at.y + reach >= light.stops.rows)
        return {};
    NormalEquations<7> normal;
    bool isWhole = true;
    forDisc(light.stops.size(), at, reach, [&](const cv::Point &p, const cv::Point2d &off) {
        const double weight = double(light.weight.at<float>(p)), x = off.x / radius, y = off.y / radius;
        isWhole = isWhole && weight > 0.0;
        normal.add({1.0, -speckShape(x * x + y * y), x, y, x * x, x * y, y * y}, double(light.stops.at<float>(p)),
                   weight);
    });
    if (!isWhole || normal.count < kLeastPixels || !normal.solve())
        return {};
    const double rough = normal.roughness(), scale = std::max(1.0, rough);
    return {true, normal.solution[1], normal.variance * scale * scale, rough};
}

double surenessAt(const std::vector<Against> &frames, const cv::Point2d &at, double radius)
{
    double sum = 0.0, weights = 0.0;
    for (const Against &frame : frames)
        if (const FrameFit fit = fitIn(frame, at, radius); fit.isKnown) {
            sum += fit.weight() * fit.depth;
            weights += fit.weight();
        }
    return weights > 0.0 ? sum / std::sqrt(weights) : 0.0;
}

/// Its shape in the mean of all frames, once slips are taken out.
void judgeShape(const std::vector<Against> &frames, const std::vector<FrameFit> &fits, SpeckEvidence &speck)
{
    constexpr double kRing = 1.15; // radii
    std::array<double, 4> quarters{}, quarterWeights{}, ring{}, ringWeights{};
    double squares = 0.0, weights = 0.0;
    forDisc(frames.front().others.size(), speck.at, kSpeckWindow * speck.radius,
            [&](const cv::Point &p, const cv::Point2d &off) {
                double sum = 0.0, weight = 0.0;
                const double distance = std::sqrt(off.dot(off)) / speck.radius, shape = speckShape(distance * distance);
                for (size_t f = 0; f < frames.size(); ++f) {
                    const Evidence &evidence = frames[f].evidence;
                    if (!fits[f].isKnown || !(evidence.weight.at<float>(p) > 0.0f))
                        continue;
                    const auto &terms = fits[f].terms;
                    const auto [across, down, blur] = slopesOf(frames[f].others, p);
                    const double scale = std::max(1.0, fits[f].roughness),
                                 own = double(evidence.weight.at<float>(p)) / (scale * scale);
                    sum += own * (double(evidence.residual.at<float>(p)) - terms[0] - terms[2] * across -
                                  terms[3] * down - terms[4] * blur);
                    weight += own;
                }
                if (!(weight > 0.0))
                    return;
                const double value = sum / weight;
                const size_t quarter = (off.x >= 0.0 ? 1 : 0) + (off.y >= 0.0 ? 2 : 0);
                quarters[quarter] += weight * shape * value;
                quarterWeights[quarter] += weight * shape * shape;
                squares += weight * std::pow(value + speck.depth * shape, 2.0);
                weights += weight;
                if (distance > kRing) { // opposite directions count together: light may slope
                    const double turn = std::atan2(off.y, off.x) / std::numbers::pi + 1.0;
                    const auto direction = size_t(std::lround(4.0 * turn)) % 4;
                    ring[direction] += weight * value;
                    ringWeights[direction] += weight;
                }
            });
    speck.leastQuarter = 1e9;
    for (size_t i = 0; i < 4; ++i) {
        const double quarter = quarterWeights[i] > 0.0 ? -quarters[i] / quarterWeights[i] / speck.depth : 0.0;
        speck.leastQuarter = std::min(speck.leastQuarter, quarter);
        if (ringWeights[i] > 0.0)
            speck.ring = std::max(speck.ring, std::abs(ring[i] / ringWeights[i]) / speck.depth);
    }
    speck.left = weights > 0.0 ? std::sqrt(squares / weights) / speck.depth : 1e9;
}

} // namespace

SpeckEvidence speckNear(const std::vector<Against> &frames, const cv::Point2d &at, double radius)
{
    SpeckEvidence out{.at = at, .radius = radius};
    double best = surenessAt(frames, at, radius);
    for (const double step : {1.0, 0.5}) {
        const cv::Point2d from = out.at;
        for (const double dy : {-step, 0.0, step})
            for (const double dx : {-step, 0.0, step})
                if (const double s = surenessAt(frames, {from.x + dx, from.y + dy}, out.radius); s > best) {
                    best = s;
                    out.at = {from.x + dx, from.y + dy};
                }
        const double before = out.radius;
        for (const double factor : {0.8, 0.9, 1.12, 1.25})
            if (const double s = surenessAt(frames, out.at, factor * before); s > best) {
                best = s;
                out.radius = factor * before;
            }
    }
    std::vector<FrameFit> fits;
    double sum = 0.0, weights = 0.0, most = -1e9, mostWeight = 0.0, light = 0.0, lightWeights = 0.0;
    for (const Against &frame : frames) {
        const FrameFit &fit = fits.emplace_back(fitIn(frame, out.at, out.radius));
        if (const FrameFit own = fitInLight(frame.light, out.at, out.radius); own.isKnown) {
            light += own.weight() * own.depth;
            lightWeights += own.weight();
        }
        if (!fit.isKnown)
            continue;
        ++out.frames;
        sum += fit.weight() * fit.depth;
        weights += fit.weight();
        if (fit.weight() * fit.depth > most) {
            most = fit.weight() * fit.depth;
            mostWeight = fit.weight();
        }
    }
    if (!(weights > 0.0))
        return out;
    out.depth = sum / weights;
    out.sureness = sum / std::sqrt(weights);
    if (out.frames > 1)
        out.rest = (sum - most) / std::sqrt(weights - mostWeight);
    constexpr double kMayDiffer = 0.15; // of the depth: a lens that is stopped down casts sharper shadows
    for (const FrameFit &fit : fits)
        if (fit.isKnown)
            out.disagreement += std::pow(fit.depth - out.depth, 2.0) /
                                (fit.variance + std::pow(kMayDiffer * out.depth, 2.0)) / out.frames;
    if (lightWeights > 0.0) {
        out.lightDepth = light / lightWeights;
        out.lightSureness = light / std::sqrt(lightWeights);
    }
    judgeShape(frames, fits, out);
    return out;
}

double scoreOf(const SpeckEvidence &s, double peak)
{
    const double ratio = s.lightDepth / s.depth;
    const bool showsInLight = s.lightSureness > 5.0 && ratio > 0.6 && ratio < 1.6;
    const std::array<std::pair<double, double>, 11> terms{{
        {-16.8801, 1.0},
        {3.5916, std::log(s.sureness)},
        {-0.2325, std::clamp(s.sureness, 0.0, 20.0)},
        {0.2652, std::clamp(s.rest, -3.0, 10.0)},
        {-1.0265, std::sqrt(std::clamp(s.disagreement, 0.0, 16.0))},
        {0.2919, std::clamp(peak, 0.0, 12.0)},
        {-1.1705, std::log2(s.depth)},
        {1.2694, showsInLight ? 1.0 : 0.0},
        {2.9066, std::clamp(s.leastQuarter, -1.0, 1.2)},
        {-5.2440, std::clamp(s.ring, 0.0, 1.0)},
        {-1.1148, std::log2(std::clamp(s.left, 0.02, 3.0))},
    }};
    return std::accumulate(terms.begin(), terms.end(), 0.0,
                           [](double sum, const auto &term) { return sum + term.first * term.second; });
}

} // namespace yolk
