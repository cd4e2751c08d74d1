#include "frames/evenness.h"

#include "base/errors.h"
#include "base/robust.h"
#include "base/text.h"
#include "frames/places.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <optional>

namespace yolk {
namespace {

constexpr int kKnots = Unevenness::kKnots;

struct Between {
    int knot;
    double part;
};
Between betweenKnots(double share)
{
    const double at = std::clamp(share, 0.0, 1.0) * (kKnots - 1);
    const int knot = std::min(int(at), kKnots - 2);
    return {knot, at - knot};
}

/// Squared distance from the middle; 1 at the corners.
double rimShape(double x, double y, double aspect)
{
    const double a = aspect * aspect, u = 2.0 * x - 1.0, v = 2.0 * y - 1.0;
    return (a * u * u + v * v) / (a + 1.0);
}

/// One least squares problem: of each frame bands, rim, and what else may grow from line to line: level, slope and bend,
/// which are not the bands'.
class Problem {
public:
    Problem(std::vector<UnevenPair> pairs, const UnevenModel &model)
        : pairs_(std::move(pairs)), model_(model), weights_(pairs_.size(), 1.0),
          x_(Eigen::VectorXd::Zero(Eigen::Index(model.frames) * kPerFrame))
    {
        constexpr int kHuberRounds = 3, kRounds = 6;
        for (int round = 0; round < kRounds; ++round) {
            reweigh(round < kHuberRounds);
            solve();
        }
    }

    /// In units of the pair's own error; `even`: by the trends alone.
    double residual(const UnevenPair &p, bool even = false) const
    {
        return (p.step - value(p.bright, p.brightAt, even) + value(p.dark, p.darkAt, even)) / p.error;
    }
    std::vector<Unevenness> found() const
    {
        std::vector<Unevenness> out(model_.frames);
        for (size_t f = 0; f < out.size(); ++f) {
            out[f].acrossColumns = model_.acrossColumns;
            out[f].aspect = model_.aspect;
            for (int k = 0; k < kKnots; ++k)
                out[f].bands.push_back(x_(first(f) + k));
            out[f].rim = model_.rim ? x_(first(f) + kRim) : 0.0;
        }
        return out;
    }
    double scale() const { return scale_; }

private:
    static constexpr int kTrends = 3; ///< powers of the line, which runs from -1 to 1
    static constexpr Eigen::Index kRim = kKnots, kTrend = kKnots + 1, kPerFrame = kKnots + 1 + kTrends;
    static Eigen::Index first(size_t frame) { return Eigen::Index(frame) * kPerFrame; }

    double value(size_t frame, const std::array<double, 2> &at, bool even) const
    {
        const double line = at[model_.acrossColumns ? 0 : 1];
        double trend = 0.0;
        for (int i = 0; i < kTrends; ++i)
            trend += x_(first(frame) + kTrend + i) * std::pow(2.0 * line - 1.0, i);
        if (even)
            return trend;
        const Between b = betweenKnots(line);
        return trend + (1.0 - b.part) * x_(first(frame) + b.knot) + b.part * x_(first(frame) + b.knot + 1) +
               x_(first(frame) + kRim) * rimShape(at[0], at[1], model_.aspect);
    }

    void reweigh(bool gently)
    {
        std::vector<double> sizes;
        sizes.reserve(pairs_.size());
        for (const UnevenPair &p : pairs_)
            sizes.push_back(std::abs(residual(p)));
        scale_ = robustWeights(sizes, gently, 1e-3, weights_);
    }

    void solve()
    {
        const Eigen::Index n = x_.size();
        const double frames = double(model_.frames);
        Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
        struct Term {
            Eigen::Index at;
            double factor;
        };
        const auto add = [&](std::span<const Term> terms, double value, double weight) {
            for (const Term &t : terms) {
                const double scaled = weight * t.factor;
                b(t.at) += scaled * value;
                for (const Term &u : terms)
                    if (u.at >= t.at) // the factorisation reads the lower triangle, whose columns lie together
                        a(u.at, t.at) += scaled * u.factor;
            }
        };
        double total = 0.0;
        for (size_t i = 0; i < pairs_.size(); ++i)
            total += weights_[i] / (pairs_[i].error * pairs_[i].error);
        for (size_t i = 0; i < pairs_.size(); ++i) {
            const UnevenPair &p = pairs_[i];
            constexpr size_t kTerms = 3 + kTrends; // of a frame
            std::array<Term, 2 * kTerms> terms{};
            const auto put = [&](size_t from, size_t frame, const std::array<double, 2> &at, double sign) {
                const double line = at[model_.acrossColumns ? 0 : 1];
                const Between where = betweenKnots(line);
                terms[from] = {first(frame) + where.knot, sign * (1.0 - where.part)};
                terms[from + 1] = {first(frame) + where.knot + 1, sign * where.part};
                terms[from + 2] = {first(frame) + kRim,
                                   model_.rim ? sign * rimShape(at[0], at[1], model_.aspect) : 0.0};
                for (int t = 0; t < kTrends; ++t)
                    terms[from + 3 + size_t(t)] = {first(frame) + kTrend + t, sign * std::pow(2.0 * line - 1.0, t)};
            };
            put(0, p.bright, p.brightAt, 1.0);
            put(kTerms, p.dark, p.darkAt, -1.0);
            add(terms, p.step, weights_[i] / (p.error * p.error) / total);
        }
        // The pairs weigh 1 in all. Bands of ten knots and more, six in a frame, lose a sixtieth to calm: the fourth
        // power of 2 pi / 10 times this.
        constexpr double kCalm = 0.1, kHeld = 1e3, kTie = 1e-9;
        std::vector<Term> terms;
        for (size_t f = 0; f < model_.frames; ++f) {
            for (int k = 1; k + 1 < kKnots; ++k) {
                const Eigen::Index at = first(f) + k;
                add(std::array{Term{at - 1, 1.0}, Term{at, -2.0}, Term{at + 1, 1.0}}, 0.0, kCalm / (frames * kKnots));
            }
            for (int power = 0; power < kTrends; ++power) {
                terms.clear();
                for (int k = 0; k < kKnots; ++k)
                    terms.push_back({first(f) + k, std::pow(2.0 * k / (kKnots - 1) - 1.0, power) / kKnots});
                add(terms, 0.0, kHeld);
            }
        }
        for (Eigen::Index i = 0; i < kPerFrame; ++i) { // even on the whole
            terms.clear();
            for (size_t f = 0; f < model_.frames; ++f)
                terms.push_back({first(f) + i, 1.0 / frames});
            add(terms, 0.0, kHeld);
        }
        for (Eigen::Index i = 0; i < n; ++i)
            a(i, i) += kTie;
        x_ = a.selfadjointView<Eigen::Lower>().llt().solve(b);
    }

    std::vector<UnevenPair> pairs_;
    const UnevenModel &model_;
    std::vector<double> weights_;
    Eigen::VectorXd x_;
    double scale_ = 1.0;
};

/// RMS in EV over frames and lines, and of the difference of two.
struct Strength {
    double both = 0.0, apart = 0.0;
};
Strength strengthOf(std::span<const Unevenness> a, std::span<const Unevenness> b)
{
    double both = 0.0, apart = 0.0, count = 0.0;
    for (size_t f = 0; f < a.size(); ++f)
        for (int k = 0; k < kKnots; ++k)
            for (const double x : {0.0, 0.5}) { // at the side and in the middle
                const double y = double(k) / (kKnots - 1), u = a[f].at(x, y), v = b[f].at(x, y);
                both += 0.25 * (u + v) * (u + v);
                apart += (u - v) * (u - v);
                count += 1.0;
            }
    return {std::sqrt(both / count), std::sqrt(apart / count)};
}

} // namespace

double Unevenness::alongLine(double share) const
{
    if (bands.empty())
        return 0.0;
    const Between b = betweenKnots(share);
    return (1.0 - b.part) * bands[size_t(b.knot)] + b.part * bands[size_t(b.knot) + 1];
}

double Unevenness::atRim(double x, double y) const
{
    return rim * rimShape(x, y, aspect);
}

double Unevenness::most() const
{
    return (bands.empty() ? 0.0 : *std::ranges::max_element(bands)) + std::max(0.0, rim);
}

std::vector<Unevenness> fitUnevenness(std::span<const UnevenPair> pairs, const UnevenModel &model, ExecContext &ctx)
{
    constexpr int kTiles = PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown;
    for (const UnevenPair &p : pairs)
        if (p.dark >= model.frames || p.bright >= model.frames || !(p.error > 0.0) || p.tile < 0 || p.tile >= kTiles)
            throw ArgumentError("evenness: a pair of places is out of range");
    constexpr size_t kFewest = 2000;
    if (pairs.size() < kFewest)
        return {};
    std::array<std::vector<UnevenPair>, 2> half;
    for (const UnevenPair &p : pairs)
        half[PlaceGrid::isWhite(p.tile)].push_back(p);
    std::array<double, kTiles> gain{}, count{};
    std::array<std::vector<Unevenness>, 2> found;
    constexpr double kVisible = 0.01; // EV: 0.7 %, about what the eye tells beside each other
    if (half[0].empty() || half[1].empty())
        return {};
    std::array<std::optional<Problem>, 2> solved;
    ExecContext solving = ctx.child({});
    forEachPart(solving, 2, [&](int h, ExecContext &) { solved[size_t(h)].emplace(half[size_t(h)], model); });
    for (size_t h = 0; h < 2; ++h) {
        const Problem &fitted = *solved[h];
        found[h] = fitted.found();
        if (strengthOf(found[h], found[h]).both < kVisible) // as in most sets: no need to look twice
            return {};
        const double most = 9.0 * fitted.scale() * fitted.scale();
        for (const UnevenPair &p : half[1 - h]) {
            const double even = fitted.residual(p, true), bent = fitted.residual(p);
            gain[size_t(p.tile)] += std::min(even * even, most) - std::min(bent * bent, most);
            count[size_t(p.tile)] += 1.0;
        }
    }
    constexpr double kSure = 5.0; // standard errors
    constexpr double kSame = 0.5; // of the strength
    const Strength strength = strengthOf(found[0], found[1]);
    if (tilesSure(gain, count) < kSure || strength.apart > kSame * strength.both)
        return {};
    return Problem({pairs.begin(), pairs.end()}, model).found();
}

} // namespace yolk
