#include "frames/exposure_ratio.h"

#include "io/linear_codes.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace yolk {
namespace {

constexpr int kTilesAcross = 16, kTilesDown = 12;
constexpr size_t kFewestTiles = 6, kFewestInTile = 24, kFewestPixels = 200;
constexpr float kHigh = 0.8f; // clear of clipping and of what a camera's shoulder leaves

/// Largest of the 3 x 3 greens round each pixel of a row: beside clipping, blur and shifts would lie.
void largestAround(ImageView<const uint16_t> codes, int y, std::vector<uint16_t> &work, std::vector<uint16_t> &out)
{
    const int w = codes.width();
    const uint16_t *above = codes.row(1, std::max(0, y - 1)), *here = codes.row(1, y),
                   *below = codes.row(1, std::min(codes.height() - 1, y + 1));
    uint16_t *columns = work.data() + 1; // with a neighbour on either side
    for (int x = 0; x < w; ++x)
        columns[x] = std::max({above[x], here[x], below[x]});
    columns[-1] = columns[0];
    columns[w] = columns[w - 1];
    for (int x = 0; x < w; ++x)
        out[size_t(x)] = std::max({columns[x - 1], columns[x], columns[x + 1]});
}

struct Tile {
    double dark = 0.0, bright = 0.0;
    size_t pixels = 0;
};

/// Sums over the pixels whose bright value lies above `low`.
std::vector<Tile> tilesOf(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright, float low)
{
    std::vector<Tile> tiles(size_t(kTilesAcross) * kTilesDown);
    const int width = bright.width(), height = bright.height();
    std::vector<uint16_t> work(size_t(width) + 2), around(static_cast<size_t>(width));
    for (int y = 0; y < height; ++y) {
        largestAround(bright, y, work, around);
        const uint16_t *brights = bright.row(1, y), *darks = dark.row(1, y);
        Tile *tile = tiles.data() + ptrdiff_t(y) * kTilesDown / height * kTilesAcross;
        for (int t = 0; t < kTilesAcross; ++t, ++tile) {
            const auto edge = [&](int i) { return int((ptrdiff_t(i) * width + kTilesAcross - 1) / kTilesAcross); };
            for (int x = edge(t); x < edge(t + 1); ++x) {
                const float b = linearOfCode(brights[x]);
                if (!(b > low) || linearOfCode(around[size_t(x)]) > kHigh)
                    continue;
                tile->bright += double(b);
                tile->dark += double(linearOfCode(darks[x]));
                ++tile->pixels;
            }
        }
    }
    return tiles;
}

double medianOf(std::vector<double> &values)
{
    const auto middle = values.begin() + ptrdiff_t(values.size() / 2);
    std::ranges::nth_element(values, middle);
    return *middle;
}

std::optional<ExposureStep> stepOf(const std::vector<Tile> &tiles)
{
    std::vector<double> logs;
    Tile all;
    for (const Tile &t : tiles) {
        all.dark += t.dark;
        all.bright += t.bright;
        all.pixels += t.pixels;
        if (t.pixels >= kFewestInTile && t.dark > 0.0)
            logs.push_back(std::log2(t.bright / t.dark));
    }
    if (all.pixels < kFewestPixels || !(all.dark > 0.0))
        return std::nullopt;
    if (logs.size() < kFewestTiles)
        return ExposureStep{std::log2(all.bright / all.dark), 0.25}; // one place: a moved thing cannot be told
    const double middle = medianOf(logs);
    std::vector<double> away;
    for (double v : logs)
        away.push_back(std::abs(v - middle));
    // 1.4826: from the median deviation to the standard one; 1.2533: a median's error against a mean's.
    const double deviation = 1.4826 * medianOf(away);
    return ExposureStep{middle, std::max(1e-3, 1.2533 * deviation / std::sqrt(double(logs.size())))};
}

/// Means of green over blocks, sorted.
std::vector<float> sortedBlocks(ImageView<const uint16_t> codes)
{
    constexpr int kBlock = 4;
    std::vector<float> out;
    for (int y = 0; y + kBlock <= codes.height(); y += kBlock)
        for (int x = 0; x + kBlock <= codes.width(); x += kBlock) {
            float sum = 0.0f;
            for (int v = y; v < y + kBlock; ++v)
                for (int u = x; u < x + kBlock; ++u)
                    sum += linearOfCode(codes.row(1, v)[u]);
            out.push_back(sum / (kBlock * kBlock));
        }
    std::ranges::sort(out);
    return out;
}

/// Frames that do not lie on each other still hold the same light: the ratio of values of like rank.
std::optional<ExposureStep> stepByRank(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright)
{
    const std::vector<float> darks = sortedBlocks(dark), brights = sortedBlocks(bright);
    constexpr float kLow = 0.02f;
    constexpr size_t kFewest = 300;
    const auto first = size_t(std::ranges::lower_bound(brights, kLow) - brights.begin());
    const auto last = size_t(std::ranges::upper_bound(brights, kHigh) - brights.begin());
    if (last < first + kFewest)
        return std::nullopt;
    // Groups of ranks, equally many in each stop of light, so that a plain wall does not speak for all.
    constexpr int kGroups = 24;
    std::vector<double> logs;
    for (int g = 0; g < kGroups; ++g) {
        const auto edge = [&](int i) {
            const float v = brights[first] * std::pow(brights[last - 1] / brights[first], float(i) / kGroups);
            return size_t(std::ranges::lower_bound(brights, v) - brights.begin());
        };
        double d = 0.0, b = 0.0;
        for (size_t i = edge(g); i < edge(g + 1); ++i) {
            d += double(darks[i]);
            b += double(brights[i]);
        }
        if (edge(g + 1) >= edge(g) + 5 && d > 0.0)
            logs.push_back(std::log2(b / d));
    }
    if (logs.size() < kFewestTiles)
        return std::nullopt;
    const double middle = medianOf(logs);
    std::vector<double> away;
    for (double v : logs)
        away.push_back(std::abs(v - middle));
    return ExposureStep{middle, 0.005 + 1.4826 * medianOf(away)}; // neighbouring ranks err together: no root of n
}

} // namespace

std::optional<ExposureStep> exposureStep(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright)
{
    if (dark.shape() != bright.shape() || dark.planes() != 3)
        throw ArgumentError("exposure ratio: two frames of one shape and three planes are needed");
    constexpr float kLow = 0.02f, kLowInDark = 0.004f; // clear of noise and of coarse code values
    std::optional<ExposureStep> step = stepOf(tilesOf(dark, bright, kLow));
    if (step) {
        const float low = std::max(kLow, kLowInDark * float(std::exp2(std::max(step->ev, 0.0))));
        // Unless they lie so far apart that the dark frame's deep values are all there is.
        if (const auto better = low < 0.7f * kHigh ? stepOf(tilesOf(dark, bright, low)) : std::nullopt)
            step = better;
    }
    const std::optional<ExposureStep> byRank = stepByRank(dark, bright);
    return byRank && (!step || byRank->standardError < step->standardError) ? byRank : step;
}

std::vector<double> reconciledExposures(std::span<const std::optional<double>> stated,
                                        std::span<const std::optional<ExposureStep>> steps, double statedError)
{
    const auto n = Eigen::Index(stated.size());
    if (stated.empty() || steps.size() + 1 != stated.size() || !(statedError > 0.0))
        throw ArgumentError(textOf("exposures of %zu frames with %zu steps", stated.size(), steps.size()));
    // Every frame hangs on its neighbour by a thread, so that nothing is left undetermined.
    constexpr double kThread = 1e3;
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
    const auto equation = [&](Eigen::Index from, Eigen::Index to, double difference, double error) {
        const double w = 1.0 / (error * error);
        a(to, to) += w;
        b(to) += w * difference;
        if (from < 0)
            return;
        a(from, from) += w;
        a(from, to) -= w;
        a(to, from) -= w;
        b(from) -= w * difference;
    };
    double sum = 0.0, count = 0.0;
    for (Eigen::Index i = 0; i < n; ++i) {
        if (const auto &s = stated[size_t(i)]) {
            equation(-1, i, *s, statedError);
            sum += *s;
            count += 1.0;
        }
        if (i + 1 < n) {
            const auto &step = steps[size_t(i)];
            equation(i, i + 1, step ? step->ev : 0.0, step ? step->standardError : kThread);
        }
    }
    if (count == 0.0)
        equation(-1, 0, 0.0, 1.0); // nothing is stated: the first is 0
    const Eigen::VectorXd solved = a.ldlt().solve(b);
    std::vector<double> out(solved.data(), solved.data() + n);
    if (count > 0.0) {
        double mean = 0.0;
        for (size_t i = 0; i < out.size(); ++i)
            mean += stated[i] ? out[i] / count : 0.0;
        for (double &e : out)
            e += sum / count - mean;
    }
    return out;
}

} // namespace yolk
