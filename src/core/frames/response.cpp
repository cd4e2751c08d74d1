#include "frames/response.h"

#include "base/errors.h"
#include "base/robust.h"
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
/// Whether the frames were developed with one white balance, or may each have their own.
enum class Whites { Own, One };
struct Model {
    Bends bends;
    Whites whites = Whites::Own;
};

/// One least squares problem: bends of one or three curves, then the exposure of each channel of each frame.
class Problem {
public:
    /// `range` is what the exposures' range is held to, log2: by itself least squares would shrink it, and all
    /// disagreement with it. Empty: nothing bends, and nothing is held.
    Problem(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated, double statedError,
            Model model, std::span<const double> range = {})
        : pairs_(pairs), stated_(stated), statedError_(statedError), range_(range.begin(), range.end()),
          curves_(model.bends == Bends::None     ? 0
                  : model.bends == Bends::Common ? 1
                                                 : 3),
          oneWhite_(model.whites == Whites::One ? 1.0 : 1e-4), weights_(pairs.size(), 1.0)
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
    /// What the exposures are held to in a richer model: as stated where that is known, else as this one found them.
    std::vector<double> rangeForOthers() const
    {
        const auto known = std::ranges::count_if(stated_, [](const auto &s) { return s.has_value(); });
        std::vector<double> out;
        for (size_t f = 0; f < stated_.size(); ++f)
            out.push_back(known < 2 ? exposure(f, 1) : stated_[f].value_or(NAN));
        return out;
    }
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
        // A bend costs by its third differences, measured against pairs whose weights sum to 1. Frames at even steps leave
        // open whatever repeats with the step in log light; of all curves that explain them alike, cameras have the one
        // that turns most evenly, not the straightest. Single exposures that are stated weigh little: the pairs know
        // better.
        // kSmooth: worlds 0 to 110 hardly tell 0.03 from 0.4; of that range the lower half, as shoulders stronger than any
        // world's lost by 0.1 (seen in a test, which judges it too).
        constexpr double kSmooth = 0.05;
        constexpr double kFlat = 1e-6, kStatedWeight = 2e-5, kTie = 1e-9, kHeld = 1e3;
        const Eigen::Index bends = Eigen::Index(curves_) * kBends, frames = Eigen::Index(stated_.size());
        const Eigen::Index n = bends + 3 * frames + 1; // the last: where all exposures lie
        Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
        std::vector<std::pair<Eigen::Index, double>> terms(std::max<size_t>(8, stated_.size() + 1));
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
                if (i >= 2) {
                    term(first + i - 2, -1.0);
                    term(first + i - 1, 3.0);
                    term(first + i, -3.0);
                    if (i + 1 < kBends)
                        term(first + i + 1, 1.0);
                    add(0.0, kSmooth / double(curves_));
                }
                if (curves_ == 3 && c != 1) { // channels differ only where they must
                    term(first + i, 1.0);
                    term(kBends + i, -1.0);
                    add(0.0, kFlat);
                }
            }
        hold([&](size_t frame, double factor, int c) { term(exposureIndex(frame, c), factor); },
             [&](double value) { add(value, kHeld); });
        for (size_t f = 0; f < stated_.size(); ++f) {
            if (stated_[f]) {
                term(exposureIndex(f, 1), 1.0);
                term(n - 1, 1.0);
                add(*stated_[f], kStatedWeight / (statedError_ * statedError_));
            }
            for (const int c : {0, 2}) {
                term(exposureIndex(f, c), 1.0);
                term(exposureIndex(f, 1), -1.0);
                add(0.0, oneWhite_);
            }
        }
        for (Eigen::Index i = 0; i < n; ++i) // what nothing speaks of stays determined
            a(i, i) += kTie;
        x_ = a.ldlt().solve(b);
    }

    /// The slope of the exposures over what they are held to is 1: one equation for each curve.
    template <class Term, class Add> void hold(const Term &term, const Add &add) const
    {
        double mean = 0.0, count = 0.0, squares = 0.0, value = 0.0;
        for (double r : range_)
            if (std::isfinite(r)) {
                mean += r;
                count += 1.0;
            }
        if (count < 2.0)
            return;
        mean /= count;
        for (double r : range_)
            squares += std::isfinite(r) ? (r - mean) * (r - mean) : 0.0;
        if (!(squares > 1e-3))
            return;
        for (int c = curves_ == 3 ? 0 : 1; c < (curves_ == 3 ? 3 : 2); ++c) {
            value = 0.0;
            for (size_t f = 0; f < range_.size(); ++f)
                if (std::isfinite(range_[f])) {
                    term(f, (range_[f] - mean) / squares, c);
                    value += (range_[f] - mean) / squares * range_[f];
                }
            add(value);
        }
    }

    void reweigh(bool gently)
    {
        std::vector<double> sizes;
        sizes.reserve(pairs_.size());
        for (const LightPair &p : pairs_)
            sizes.push_back(std::abs(residual(p)));
        scale_ = robustWeights(sizes, gently, 1e-3, weights_);
    }

    std::span<const LightPair> pairs_;
    std::span<const std::optional<double>> stated_;
    double statedError_;
    std::vector<double> range_;
    int curves_;
    double oneWhite_; ///< weight of the channels' exposures being one; the pairs weigh 1 in all
    std::vector<double> weights_;
    Eigen::VectorXd x_;
    double scale_ = 1.0;
};

/// What a richer model gains over a plainer one at places that neither was fitted to.
struct Comparison {
    double plain = 0.0, rich = 0.0; ///< variances of the residuals, by their medians: up to half may have moved
    double sureness = 0.0;          ///< the gain over its standard error from tile to tile
    double apart = 0.0;             ///< RMS of what the halves' curves differ by, of full scale, but for a power
    double bent = 0.0;              ///< the same of the first half's rich curve and its plain one
};

/// Over [low, high]: beyond, curves are only continued.
double apartBy(const Response &a, const Response &b, double low, double high)
{
    double worst = 0.0;
    for (int c = 0; c < 3; ++c) {
        constexpr int kSamples = 128;
        double top = 0.0, bottom = 0.0; // the power that brings them nearest
        const auto at = [&](int i) { return low + (high - low) * double(i) / kSamples; };
        for (int i = 1; i < kSamples; ++i) {
            const double za = a.lightOf(at(i), c), zb = b.lightOf(at(i), c);
            top += std::log(za) * std::log(zb) * za;
            bottom += std::log(za) * std::log(za) * za;
        }
        const double power = bottom > 0.0 ? top / bottom : 1.0;
        double sum = 0.0;
        for (int i = 1; i < kSamples; ++i)
            sum += std::pow(std::pow(a.lightOf(at(i), c), power) - b.lightOf(at(i), c), 2) / kSamples;
        worst = std::max(worst, std::sqrt(sum));
    }
    return worst;
}

Comparison compared(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated, double statedError,
                    Model plain, Model rich, ExecContext &ctx)
{
    std::array<std::vector<LightPair>, 2> half;
    for (const LightPair &p : pairs)
        half[PlaceGrid::isWhite(p.tile)].push_back(p);
    constexpr int kTiles = PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown;
    std::array<double, kTiles> gain{}, count{};
    Comparison out;
    std::array<Response, 2> curves;
    std::array<std::optional<Problem>, 2> simples, bents;
    ExecContext solving = ctx.child({});
    forEachPart(solving, 2, [&](int part, ExecContext &) {
        const auto h = size_t(part);
        Problem straight(half[h], stated, statedError, {Bends::None});
        straight.solve();
        const std::vector<double> range = straight.rangeForOthers();
        if (plain.bends == Bends::None)
            simples[h] = std::move(straight);
        else
            simples[h].emplace(half[h], stated, statedError, plain, range).solve();
        bents[h].emplace(half[h], stated, statedError, rich, range).solve();
        bents[h]->put(curves[h]);
    });
    std::vector<double> plainSizes, richSizes;
    for (size_t h = 0; h < 2; ++h) {
        const Problem &simple = *simples[h], &bent = *bents[h];
        const double cut = 3.0 * simple.scale(), most = cut * cut;
        for (const LightPair &p : half[1 - h]) {
            const double a = simple.residual(p), b = bent.residual(p);
            const double lossA = std::min(a * a, most), lossB = std::min(b * b, most);
            plainSizes.push_back(std::abs(a));
            richSizes.push_back(std::abs(b));
            gain[size_t(p.tile)] += lossA - lossB;
            count[size_t(p.tile)] += 1.0;
        }
    }
    if (plainSizes.empty())
        return out;
    const auto varianceOf = [](std::vector<double> &sizes) {
        return std::pow(kDeviationOfMedian * medianOf(sizes), 2);
    };
    out.plain = varianceOf(plainSizes);
    out.rich = varianceOf(richSizes);
    std::vector<float> lights;
    for (const LightPair &p : pairs)
        lights.push_back(p.brightLight);
    std::ranges::sort(lights);
    const double low = double(lights[lights.size() / 20]), high = double(lights[lights.size() * 19 / 20]);
    out.apart = apartBy(curves[0], curves[1], low, high);
    Response profile;
    if (plain.bends != Bends::None)
        simples[0]->put(profile);
    out.bent = apartBy(curves[0], profile, low, high);
    out.sureness = tilesSure(gain, count);
    return out;
}

/// Without stated exposures a curve is known but for a power: the one that bends the profile's least.
void takeEvenestPower(Response &response)
{
    // h becomes p (h + log2 y) - log2 y; its second differences are linear in p.
    const auto logOf = [](int i) { return 2.0 * std::log2(double(i) / kBends); };
    constexpr int kFirst = 4; // below, places say little and curves are only continued
    double top = 0.0, bottom = 0.0;
    for (const Response::Bend &h : response.bend)
        for (int i = kFirst; i + 1 <= kBends; ++i) {
            const auto bent = [&](const auto &f) { return f(i - 1) - 2.0 * f(i) + f(i + 1); };
            const double whole = bent([&](int k) { return h[size_t(k)] + logOf(k); }), profile = bent(logOf);
            top += whole * profile;
            bottom += whole * whole;
        }
    constexpr double kMost = 2.5;
    const double power = bottom > 0.0 ? std::clamp(top / bottom, 1.0 / kMost, kMost) : 1.0;
    for (Response::Bend &h : response.bend) {
        for (int i = 1; i < kBends; ++i)
            h[size_t(i)] = power * (h[size_t(i)] + logOf(i)) - logOf(i);
        h[0] = h[1];
    }
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
    return response.fitted && (choice == ResponseChoice::Fitted ||
                               (choice == ResponseChoice::Automatic && response.verdict == ResponseVerdict::Found));
}

double Response::lightOf(double y, int channel) const
{
    if (y >= 1.0)
        return y;
    const Bend &h = bend[size_t(channel)];
    const Between b = betweenKnots(y);
    return y * std::exp2(h[size_t(b.knot)] + b.part * (h[size_t(b.knot) + 1] - h[size_t(b.knot)]));
}

double Response::valueOf(double z, int channel) const
{
    if (!(z > 0.0) || z >= 1.0)
        return z <= 0.0 ? z / std::exp2(bend[size_t(channel)][0]) : z;
    double low = 0.0, high = 1.0;
    for (int i = 0; i < 24; ++i) {
        const double middle = (low + high) / 2.0;
        (lightOf(middle, channel) < z ? low : high) = middle;
    }
    return (low + high) / 2.0;
}

Response fitResponse(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated,
                     double statedError, ExecContext &ctx)
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
    // Of worlds 0 to 60 curves that are there bring it down to a tenth and less, those that are not to 0.37 and more.
    constexpr double kWorthIt = 0.2, kSure = 5.0, kSame = 0.02;
    // A curve that lies nearer to the profile's than half of the error that is allowed is not worth a doubt.
    constexpr double kWorthTaking = 0.0075; // of full scale
    const Comparison common = compared(pairs, stated, statedError, {Bends::None}, {Bends::Common}, ctx);
    const bool nearer = common.rich < kWorthIt * common.plain && common.bent > kWorthTaking;
    Comparison own;
    if (nearer) // else there is no curve to part
        own = compared(pairs, stated, statedError, {Bends::Common}, {Bends::ByChannel, Whites::One}, ctx);
    // White balances of their own would hide a good part of what channels differ by: one white balance with three curves
    // has to explain the set better than many with one curve.
    out.byChannel =
        nearer && own.rich < own.plain && own.sureness > kSure && own.apart < kSame && own.bent > kWorthTaking;
    const bool sure = nearer && common.sureness > kSure && (common.apart < kSame || out.byChannel);
    out.verdict = !nearer ? ResponseVerdict::ProfileAgrees : sure ? ResponseVerdict::Found : ResponseVerdict::Unsure;
    out.disagreementBefore = inEv(pairs, common.plain);
    out.disagreementAfter = inEv(pairs, out.byChannel ? own.rich : common.rich);
    Problem straight(pairs, stated, statedError, {Bends::None});
    straight.solve();
    Problem all(pairs, stated, statedError, out.byChannel ? Model{Bends::ByChannel, Whites::One} : Model{Bends::Common},
                straight.rangeForOthers());
    all.solve();
    all.put(out);
    if (std::ranges::count_if(stated, [](const auto &s) { return s.has_value(); }) < 2)
        takeEvenestPower(out);
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
