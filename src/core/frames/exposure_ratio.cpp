#include "frames/exposure_ratio.h"

#include "base/robust.h"
#include "io/linear_codes.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <numbers>
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
    return ExposureStep{middle,
                        std::max(1e-3, kErrorOfMedian * deviationAbout(middle, logs) / std::sqrt(double(logs.size())))};
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
    return ExposureStep{middle, 0.005 + deviationAbout(middle, logs)}; // neighbouring ranks err together: no root of n
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

namespace {

/// log2(bright / dark) of the places of one channel that both frames hold. `light` is the geometric mean of both sides,
/// so that a place that does not lie exactly on itself errs in it neither way; with the dark side alone the step would
/// come out too small.
struct Samples {
    std::vector<double> step, perLight, perError; ///< EV; 1 / (share of the bright frame's clipping); 1 / EV
    std::vector<int> tile;
    size_t size() const { return step.size(); }
};

/// step + slope / light, where the second part is what an offset of black does.
class StepFit {
public:
    /// `slope` is what the offset of black makes; empty: it is found.
    StepFit(const Samples &samples, std::optional<double> slope)
        : s_(samples), known_(slope), slope_(slope.value_or(0.0)), sizes_(samples.size())
    {
        if (s_.size() < kFewestPlaces)
            return;
        ev_ = medianOf(std::vector<double>(s_.step));
        constexpr int kRounds = 10, kHuberRounds = 3;
        for (int round = 0; round < kRounds; ++round)
            refine(round < kHuberRounds);
        judge();
    }
    const std::optional<ExposureStep> &step() const { return step_; }
    double slope() const { return slope_; }

private:
    static constexpr size_t kFewestPlaces = 40;

    double residual(size_t i) const { return (s_.step[i] - ev_ - slope_ * s_.perLight[i]) * s_.perError[i]; }
    void refine(bool gently)
    {
        for (size_t i = 0; i < s_.size(); ++i)
            sizes_[i] = std::abs(residual(i));
        scale_ = std::max(0.05, kDeviationOfMedian * medianOf(sizes_)); // reorders
        gently ? solve(huberWeight) : solve(tukeyWeight);
    }
    template <class Weight> void solve(const Weight &weight)
    {
        const double perScale = 1.0 / scale_;
        double one = 0.0, g = 0.0, gg = 0.0, y = 0.0, gy = 0.0;
        for (size_t i = 0; i < s_.size(); ++i) {
            const double w = weight(residual(i) * perScale) * s_.perError[i] * s_.perError[i], x = s_.perLight[i];
            one += w;
            g += w * x;
            gg += w * x * x;
            y += w * s_.step[i];
            gy += w * x * s_.step[i];
        }
        if (!(one > 0.0))
            return;
        if (const double det = one * gg - g * g; !known_ && det > 1e-9 * one * gg)
            slope_ = (one * gy - g * y) / det;
        ev_ = (y - slope_ * g) / one;
    }
    void judge()
    {
        constexpr int kTiles = PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown;
        std::array<std::array<double, 2>, kTiles> sums{};
        for (size_t i = 0; i < s_.size(); ++i) {
            const double w = tukeyWeight(residual(i) / scale_) * s_.perError[i] * s_.perError[i];
            sums[size_t(s_.tile[i])][0] += w * (s_.step[i] - slope_ * s_.perLight[i]);
            sums[size_t(s_.tile[i])][1] += w;
        }
        std::vector<double> steps;
        for (const auto &[sum, w] : sums)
            if (w > 0.0)
                steps.push_back(sum / w);
        if (steps.size() < kFewestTiles)
            return;
        const double deviation = deviationAbout(medianOf(steps), steps);
        step_ = ExposureStep{ev_, std::max(1e-3, kErrorOfMedian * deviation / std::sqrt(double(steps.size())))};
    }

    const Samples &s_;
    std::optional<double> known_;
    double slope_, ev_ = 0.0, scale_ = 1.0;
    std::vector<double> sizes_;
    std::optional<ExposureStep> step_;
};

/// The places that both frames hold, and which of them a fit looks at.
class SharedPlaces {
public:
    SharedPlaces(std::span<const PlaceLight> dark, std::span<const PlaceLight> bright, const PlaceGrid &grid,
                 double lowest)
        : dark_(dark), bright_(bright), grid_(grid)
    {
        if (dark.size() != grid.count() || bright.size() != grid.count())
            throw ArgumentError(textOf("exposure ratio: %zu and %zu places on a grid of %zu", dark.size(),
                                       bright.size(), grid.count()));
        std::vector<double> logs;
        for (size_t i = 0; i < dark.size(); ++i)
            if (dark[i].shown && bright[i].shown && bright[i].mean[1] > 0.05f && bright[i].mean[1] < 0.8f &&
                dark[i].mean[1] > 0.0f)
                logs.push_back(std::log2(double(bright[i].mean[1]) / double(dark[i].mean[1])));
        if (logs.size() < 40)
            return;
        rough_ = std::exp2(medianOf(logs));
        constexpr double kLow = 0.01, kClipped = 0.95; // clear of coarse codes; of clipping
        low_ = std::max(kLow, rough_ * lowest);
        // Chosen by both alike: by one alone, places that do not lie exactly on themselves would favour the other.
        for (size_t i = 0; i < dark.size(); ++i)
            if (dark[i].shown && bright[i].shown &&
                std::max(double(bright[i].mostOfAll()), rough_ * double(dark[i].mostOfAll())) <= kClipped)
                held_.push_back(i);
    }
    /// Of all channels: bright over dark; 0 when too little is held by both.
    double rough() const { return rough_; }
    Samples of(size_t c) const
    {
        constexpr double kTop = 0.6;   // clear of shoulders
        constexpr size_t kMost = 8000; // some 80 a tile: their scatter of 0.02 EV leaves 0.0003
        std::vector<size_t> chosen;
        const auto lightOf = [&](size_t i) {
            return std::sqrt(double(bright_[i].mean[c]) * rough_ * double(dark_[i].mean[c]));
        };
        for (size_t i : held_)
            if (dark_[i].mean[c] > 0.0f && bright_[i].mean[c] > 0.0f)
                if (const double light = lightOf(i); light > low_ && light <= kTop)
                    chosen.push_back(i);
        const size_t every = 1 + chosen.size() / kMost;
        Samples out;
        for (size_t k = 0; k < chosen.size(); k += every) {
            const size_t i = chosen[k];
            const PlaceLight &d = dark_[i], &b = bright_[i];
            const double scatter = kSlipOfPlaces * (double(b.spread[c] / b.mean[c]) + double(d.spread[c] / d.mean[c]));
            out.step.push_back(std::log2(double(b.mean[c]) / double(d.mean[c])));
            out.perLight.push_back(1.0 / lightOf(i));
            out.perError.push_back(std::numbers::ln2 / std::hypot(scatter, kSamplingOfPlaces));
            out.tile.push_back(grid_.tileOf(i));
        }
        return out;
    }

private:
    std::span<const PlaceLight> dark_, bright_;
    const PlaceGrid &grid_;
    double rough_ = 0.0, low_ = 0.0;
    std::vector<size_t> held_;
};

} // namespace

std::optional<std::array<double, 3>> offsetsBetween(std::span<const PlaceLight> dark,
                                                    std::span<const PlaceLight> bright, const PlaceGrid &grid,
                                                    double lowest)
{
    const SharedPlaces places(dark, bright, grid, lowest);
    if (!(places.rough() > 0.0))
        return std::nullopt;
    std::array<double, 3> out{};
    for (size_t c = 0; c < 3; ++c)
        out[c] = StepFit(places.of(c), std::nullopt).slope() * std::numbers::ln2;
    return out;
}

std::optional<ChannelSteps> stepBetween(std::span<const PlaceLight> dark, std::span<const PlaceLight> bright,
                                        const PlaceGrid &grid, double lowest, double black)
{
    const SharedPlaces places(dark, bright, grid, lowest);
    if (!(places.rough() > 0.0))
        return std::nullopt;
    ChannelSteps out;
    double sum = 0.0, weights = 0.0;
    for (size_t c = 0; c < 3; ++c) {
        const auto step = StepFit(places.of(c), black * (1.0 - places.rough()) / std::numbers::ln2).step();
        if (!step) {
            if (c == 1)
                return std::nullopt; // green decides
            out.channels[c] = {0.0, 1e3};
            continue;
        }
        out.channels[c] = *step;
        const double w = 1.0 / (step->standardError * step->standardError);
        sum += w * step->ev;
        weights += w;
    }
    double error = 1e3; // channels err together
    for (const ExposureStep &s : out.channels)
        error = std::min(error, s.standardError);
    out.all = {sum / weights, error};
    for (ExposureStep &s : out.channels)
        if (s.standardError >= 1e3)
            s.ev = out.all.ev;
    return out;
}

Exposures reconciledExposures(std::span<const std::optional<double>> stated, std::span<const ExposureLink> links,
                              double statedError)
{
    const auto n = Eigen::Index(stated.size());
    const bool linked = std::ranges::all_of(links, [&](const ExposureLink &l) {
        return l.dark < stated.size() && l.bright < stated.size() && l.step.standardError > 0.0;
    });
    if (stated.empty() || !linked || !(statedError > 0.0))
        throw ArgumentError(textOf("exposures of %zu frames with %zu steps", stated.size(), links.size()));
    // A frame without a step hangs on its neighbour by a thread, so that nothing is left undetermined.
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
        const bool hangs = i + 1 < n && std::ranges::none_of(links, [&](const ExposureLink &l) {
                               return l.dark == size_t(i) && l.bright == size_t(i) + 1;
                           });
        if (hangs)
            equation(i, i + 1, 0.0, kThread);
    }
    for (const ExposureLink &l : links)
        equation(Eigen::Index(l.dark), Eigen::Index(l.bright), l.step.ev, l.step.standardError);
    if (count == 0.0)
        equation(-1, 0, 0.0, 1e-3); // nothing is stated: the first is 0
    const Eigen::LDLT<Eigen::MatrixXd> decomposed(a);
    const Eigen::VectorXd solved = decomposed.solve(b);
    const Eigen::MatrixXd covariance = decomposed.solve(Eigen::MatrixXd::Identity(n, n));
    Exposures out;
    out.ev.assign(solved.data(), solved.data() + n);
    for (Eigen::Index i = 0; i < n; ++i)
        out.error.push_back(std::sqrt(std::max(0.0, covariance(i, i))));
    if (count > 0.0) {
        double mean = 0.0;
        for (size_t i = 0; i < out.ev.size(); ++i)
            mean += stated[i] ? out.ev[i] / count : 0.0;
        for (double &e : out.ev)
            e += sum / count - mean;
    }
    return out;
}

} // namespace yolk
