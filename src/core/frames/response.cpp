#include "frames/response.h"

#include "base/errors.h"
#include "base/text.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace yolk {
namespace {

constexpr int kKnots = Response::kKnots, kBends = kKnots - 1;

/// Where y stands between two knots.
struct Between {
    int knot;
    double part;
};
Between betweenKnots(double y)
{
    const double at = std::sqrt(std::clamp(y, 0.0, 1.0)) * kBends;
    const int knot = std::min(int(at), kBends - 1);
    return {knot, at - knot};
}

/// Rises everywhere, and nowhere so steeply or flatly that no camera would do it.
bool isPlausible(const Response &response)
{
    constexpr double kSteepest = 6.0, kFlattest = 0.1; // of log z over log y
    for (int c = 0; c < 3; ++c) {
        double lastZ = 0.0, lastY = 0.0;
        for (int i = 1; i <= 256; ++i) {
            const double y = i / 256.0 * (i / 256.0), z = response.lightOf(y, c);
            if (!(z > lastZ))
                return false;
            if (i > 8) { // above the darkest thousandth
                const double slope = std::log(z / lastZ) / std::log(y / lastY);
                if (slope > kSteepest || slope < kFlattest)
                    return false;
            }
            lastZ = z;
            lastY = y;
        }
    }
    return true;
}

enum class Bends { None, Common, ByChannel };

/// One least squares problem: bends of one or three curves, then the exposure of each channel of each frame.
class Problem {
public:
    Problem(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated, double statedError,
            Bends bends)
        : pairs_(pairs), stated_(stated), statedError_(statedError),
          curves_(bends == Bends::None     ? 0
                  : bends == Bends::Common ? 1
                                           : 3),
          weights_(pairs.size(), 1.0)
    {
    }

    void solve()
    {
        constexpr int kHuberRounds = 3, kRounds = 7;
        for (int round = 0; round < kRounds; ++round) {
            solveOnce();
            reweigh(round < kHuberRounds);
        }
    }
    /// In units of the pair's own error.
    double residual(const LightPair &p) const
    {
        const double light = std::log2(double(p.brightLight) / double(p.darkLight)) +
                             bendAt(p.channel, double(p.brightLight)) - bendAt(p.channel, double(p.darkLight));
        return (light - exposure(p.bright, p.channel) + exposure(p.dark, p.channel)) / double(p.error);
    }
    double scale() const { return scale_; }
    void put(Response &out) const
    {
        for (int c = 0; c < 3; ++c)
            for (int i = 0; i < kBends; ++i)
                out.bend[size_t(c)][size_t(i)] = curves_ == 0 ? 0.0 : x_((curves_ == 3 ? c : 0) * kBends + i);
    }

private:
    Eigen::Index exposureIndex(size_t frame, int channel) const
    {
        return Eigen::Index(curves_) * kBends + Eigen::Index(3 * frame) + channel;
    }
    double exposure(size_t frame, int channel) const { return x_(exposureIndex(frame, channel)); }
    double bendAt(int channel, double y) const
    {
        if (curves_ == 0)
            return 0.0;
        const Between b = betweenKnots(y);
        const Eigen::Index first = (curves_ == 3 ? channel : 0) * kBends;
        const double low = x_(first + b.knot), high = b.knot + 1 < kBends ? x_(first + b.knot + 1) : 0.0;
        return low + b.part * (high - low);
    }

    void solveOnce()
    {
        // A bend costs by its second differences, measured against pairs whose weights sum to 1. Where exposures are
        // stated that only has to calm the noise of 8-bit frames; where none is, it alone parts the curve from the
        // steps, since a power of light changes both alike. Stated exposures weigh little: the pairs know better, but
        // for such a power. White balances of one set are mostly one.
        const bool known = std::ranges::any_of(stated_, [](const auto &s) { return s.has_value(); });
        const double kSmooth = known ? 0.0012 : 0.02;
        constexpr double kFlat = 1e-5, kStatedWeight = 2e-5, kOneWhite = 1e-4, kTie = 1e-9;
        const Eigen::Index bends = Eigen::Index(curves_) * kBends, frames = Eigen::Index(stated_.size());
        const Eigen::Index n = bends + 3 * frames + 1; // the last: where all exposures lie
        Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
        std::array<std::pair<Eigen::Index, double>, 8> terms;
        size_t count = 0;
        const auto term = [&](Eigen::Index i, double factor) { terms[count++] = {i, factor}; };
        const auto add = [&](double value, double weight) {
            for (size_t i = 0; i < count; ++i) {
                b(terms[i].first) += weight * terms[i].second * value;
                for (size_t j = 0; j < count; ++j)
                    a(terms[i].first, terms[j].first) += weight * terms[i].second * terms[j].second;
            }
            count = 0;
        };
        double total = 0.0;
        for (size_t i = 0; i < pairs_.size(); ++i)
            total += weights_[i] / double(pairs_[i].error * pairs_[i].error);
        for (size_t i = 0; i < pairs_.size(); ++i) {
            const LightPair &p = pairs_[i];
            const auto bend = [&](double y, double sign) {
                if (curves_ == 0)
                    return;
                const Between at = betweenKnots(y);
                const Eigen::Index first = (curves_ == 3 ? p.channel : 0) * kBends;
                term(first + at.knot, sign * (1.0 - at.part));
                if (at.knot + 1 < kBends) // h(1) = 0
                    term(first + at.knot + 1, sign * at.part);
            };
            bend(double(p.brightLight), 1.0);
            bend(double(p.darkLight), -1.0);
            term(exposureIndex(p.bright, p.channel), -1.0);
            term(exposureIndex(p.dark, p.channel), 1.0);
            add(-std::log2(double(p.brightLight) / double(p.darkLight)),
                weights_[i] / double(p.error * p.error) / total);
        }
        for (Eigen::Index c = 0; c < curves_; ++c)
            for (Eigen::Index i = 0; i < kBends; ++i) {
                const Eigen::Index first = c * kBends;
                term(first + i, 1.0);
                add(0.0, kFlat / kBends);
                if (i == 0)
                    continue;
                term(first + i - 1, 1.0);
                term(first + i, -2.0);
                if (i + 1 < kBends)
                    term(first + i + 1, 1.0);
                add(0.0, kSmooth / double(curves_));
                if (curves_ == 3 && c != 1) { // channels differ only where they must
                    term(first + i, 1.0);
                    term(kBends + i, -1.0);
                    add(0.0, kFlat);
                }
            }
        for (size_t f = 0; f < stated_.size(); ++f) {
            if (stated_[f]) {
                term(exposureIndex(f, 1), 1.0);
                term(n - 1, 1.0);
                add(*stated_[f], kStatedWeight / (statedError_ * statedError_));
            }
            for (const int c : {0, 2}) {
                term(exposureIndex(f, c), 1.0);
                term(exposureIndex(f, 1), -1.0);
                add(0.0, kOneWhite);
            }
        }
        for (Eigen::Index i = 0; i < n; ++i) // what nothing speaks of stays determined
            a(i, i) += kTie;
        x_ = a.ldlt().solve(b);
    }

    void reweigh(bool gently)
    {
        std::vector<double> sizes;
        sizes.reserve(pairs_.size());
        for (const LightPair &p : pairs_)
            sizes.push_back(std::abs(residual(p)));
        std::vector<double> sorted = sizes;
        std::ranges::nth_element(sorted, sorted.begin() + ptrdiff_t(sorted.size() / 2));
        scale_ = std::max(1e-3, 1.4826 * sorted[sorted.size() / 2]); // from the median deviation to the standard one
        constexpr double kHuber = 1.345, kTukey = 4.685; // 95 % efficient for normal errors
        for (size_t i = 0; i < sizes.size(); ++i) {
            const double r = sizes[i] / scale_;
            const double inside = 1.0 - (r / kTukey) * (r / kTukey);
            weights_[i] = gently ? (r > kHuber ? kHuber / r : 1.0) : inside > 0.0 ? inside * inside : 0.0;
        }
    }

    std::span<const LightPair> pairs_;
    std::span<const std::optional<double>> stated_;
    double statedError_;
    int curves_;
    std::vector<double> weights_;
    Eigen::VectorXd x_;
    double scale_ = 1.0;
};

bool isWhite(int tile) // of the chessboard
{
    return (tile % PlaceGrid::kTilesAcross + tile / PlaceGrid::kTilesAcross) % 2 == 0;
}

/// What a richer model gains over a plainer one at places that neither was fitted to.
struct Comparison {
    double plain = 0.0, rich = 0.0; ///< mean squared residuals, cut off where movement begins
    double sureness = 0.0;          ///< the gain over its standard error from tile to tile
    double apart = 0.0;             ///< RMS of what the halves' curves differ by, of full scale, but for a power
};

double apartBy(const Response &a, const Response &b)
{
    double worst = 0.0;
    for (int c = 0; c < 3; ++c) {
        constexpr int kSamples = 128;
        double top = 0.0, bottom = 0.0; // the power that brings them nearest
        for (int i = 1; i < kSamples; ++i) {
            const double y = double(i) / kSamples, za = a.lightOf(y, c), zb = b.lightOf(y, c);
            top += std::log(za) * std::log(zb) * za;
            bottom += std::log(za) * std::log(za) * za;
        }
        const double power = bottom > 0.0 ? top / bottom : 1.0;
        double sum = 0.0;
        for (int i = 1; i < kSamples; ++i) {
            const double y = double(i) / kSamples;
            sum += std::pow(std::pow(a.lightOf(y, c), power) - b.lightOf(y, c), 2) / kSamples;
        }
        worst = std::max(worst, std::sqrt(sum));
    }
    return worst;
}

Comparison compared(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated, double statedError,
                    Bends plain, Bends rich)
{
    std::array<std::vector<LightPair>, 2> half;
    for (const LightPair &p : pairs)
        half[isWhite(p.tile)].push_back(p);
    constexpr int kTiles = PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown;
    std::array<double, kTiles> gain{}, count{};
    Comparison out;
    std::array<Response, 2> curves;
    double total = 0.0;
    for (size_t h = 0; h < 2; ++h) {
        Problem simple(half[h], stated, statedError, plain), bent(half[h], stated, statedError, rich);
        simple.solve();
        bent.solve();
        bent.put(curves[h]);
        const double cut = 3.0 * simple.scale(), most = cut * cut;
        for (const LightPair &p : half[1 - h]) {
            const double a = simple.residual(p), b = bent.residual(p);
            const double lossA = std::min(a * a, most), lossB = std::min(b * b, most);
            out.plain += lossA;
            out.rich += lossB;
            total += 1.0;
            gain[size_t(p.tile)] += lossA - lossB;
            count[size_t(p.tile)] += 1.0;
        }
    }
    if (total == 0.0)
        return out;
    out.plain /= total;
    out.rich /= total;
    out.apart = apartBy(curves[0], curves[1]);
    // Places of a tile err together: tiles are the independent ones.
    double mean = 0.0, tiles = 0.0, squares = 0.0;
    for (size_t t = 0; t < kTiles; ++t)
        if (count[t] >= 4.0) {
            const double g = gain[t] / count[t];
            mean += g;
            squares += g * g;
            tiles += 1.0;
        }
    if (tiles < 4.0)
        return out;
    mean /= tiles;
    const double variance = std::max(1e-12, squares / tiles - mean * mean);
    out.sureness = mean / std::sqrt(variance / tiles);
    return out;
}

/// Root mean square of a pair's residuals in EV, from one in units of its errors.
double inEv(std::span<const LightPair> pairs, double meanSquare)
{
    double sum = 0.0;
    for (const LightPair &p : pairs)
        sum += 1.0 / double(p.error * p.error);
    return std::sqrt(meanSquare * double(pairs.size()) / sum);
}

} // namespace

bool isTaken(const Response &response, ResponseChoice choice)
{
    return response.fitted && (choice == ResponseChoice::Fitted || (choice == ResponseChoice::Automatic &&
                                                                   response.verdict == ResponseVerdict::Found));
}

double Response::lightOf(double y, int channel) const
{
    if (y >= 1.0)
        return y;
    const Bend &h = bend[size_t(channel)];
    const Between b = betweenKnots(y);
    return y * std::exp2(h[size_t(b.knot)] + b.part * (h[size_t(b.knot) + 1] - h[size_t(b.knot)]));
}

std::vector<LightPair> lightPairs(std::span<const std::vector<PlaceLight>> frames, const PlaceGrid &grid,
                                  std::span<const double> lowest, double codeStep)
{
    if (frames.size() != lowest.size())
        throw ArgumentError(textOf("%zu frames, %zu lowest values", frames.size(), lowest.size()));
    constexpr float kHigh = 0.93f;      // JPEG's ringing and the soft end of a sensor begin above
    constexpr size_t kBins = 48, kInBin = 14;
    constexpr double kSlip = 0.12;      // of a place's contrast that a shift of half a pixel may change its mean by
    constexpr double kSampling = 0.012; // EV: demosaicing, sharpening, scaling
    std::vector<LightPair> out;
    const auto errorOf = [&](const PlaceLight &p, size_t c) {
        const double y = double(p.mean[c]), code = codeStep * std::max(2.2 * std::pow(y, 0.545), 0.077); // sRGB's slope
        return (kSlip * double(p.spread[c]) + code) / y / std::numbers::ln2;
    };
    for (size_t bright = 1; bright < frames.size(); ++bright)
        for (size_t dark = bright >= 2 ? bright - 2 : 0; dark < bright; ++dark)
            for (size_t c = 0; c < 3; ++c) {
                std::array<std::vector<LightPair>, kBins> bins;
                for (size_t i = 0; i < grid.count(); ++i) {
                    const PlaceLight &d = frames[dark][i], &b = frames[bright][i];
                    if (!d.shown || !b.shown)
                        continue;
                    const float most = std::max({b.mean[0], b.mean[1], b.mean[2]});
                    if (!(double(d.mean[c]) > lowest[dark]) || most + 0.5f * b.spread[c] > kHigh ||
                        !(double(b.mean[c]) > lowest[bright]))
                        continue;
                    const double error = std::sqrt(std::pow(errorOf(d, c), 2) + std::pow(errorOf(b, c), 2) +
                                                   kSampling * kSampling);
                    bins[std::min(kBins - 1, size_t(std::sqrt(b.mean[c]) * kBins))].push_back(
                        {dark, bright, int(c), grid.tileOf(i), d.mean[c], b.mean[c], float(error)});
                }
                for (std::vector<LightPair> &bin : bins) {
                    std::ranges::stable_sort(bin, {}, &LightPair::error);
                    const size_t even = std::min(bin.size(), std::max(kInBin, bin.size() / 2));
                    const size_t count = std::min(even, kInBin);
                    for (size_t k = 0; k < count; ++k)
                        out.push_back(bin[k * even / count]);
                }
            }
    return out;
}

Response fitResponse(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated,
                     double statedError)
{
    if (!(statedError > 0.0))
        throw ArgumentError("response: exposures are stated without any error");
    for (const LightPair &p : pairs)
        if (p.dark >= stated.size() || p.bright >= stated.size() || p.channel < 0 || p.channel > 2 ||
            !(p.darkLight > 0.0f) || !(p.brightLight > 0.0f) || !(p.error > 0.0f) || p.tile < 0 ||
            p.tile >= PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown)
            throw ArgumentError("response: a pair of places is out of range");
    Response out;
    constexpr size_t kFewest = 600;
    if (pairs.size() < kFewest)
        return out;
    constexpr double kWorthIt = 0.75, kSure = 5.0, kSame = 0.02;
    const Comparison common = compared(pairs, stated, statedError, Bends::None, Bends::Common);
    out.disagreementBefore = inEv(pairs, common.plain);
    out.disagreementAfter = inEv(pairs, common.rich);
    const bool nearer = common.rich < kWorthIt * common.plain;
    const bool sure = nearer && common.sureness > kSure && common.apart < kSame;
    out.verdict = !nearer ? ResponseVerdict::ProfileAgrees : sure ? ResponseVerdict::Found : ResponseVerdict::Unsure;
    const Comparison own = compared(pairs, stated, statedError, Bends::Common, Bends::ByChannel);
    out.byChannel = own.rich < kWorthIt * own.plain && own.sureness > kSure && own.apart < kSame;
    Problem all(pairs, stated, statedError, out.byChannel ? Bends::ByChannel : Bends::Common);
    all.solve();
    all.put(out);
    if (out.byChannel)
        out.disagreementAfter = inEv(pairs, own.rich);
    if (!isPlausible(out)) {
        out.bend = {};
        out.byChannel = false;
        out.verdict = sure ? ResponseVerdict::Unsure : out.verdict;
        return out;
    }
    out.fitted = true;
    return out;
}

} // namespace yolk
