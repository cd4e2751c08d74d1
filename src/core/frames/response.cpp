#include "frames/response.h"

#include "io/linear_codes.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr int kKnots = Response::kKnots;
constexpr float kLow = 0.003f, kHigh = 0.965f; // of clipping: what is coded finely enough, and not clipped

/// Where y stands between two knots.
struct Place {
    int knot;
    double part;
};
Place placeOf(double y)
{
    const double at = std::sqrt(std::clamp(y, 0.0, 1.0)) * (kKnots - 1);
    const int knot = std::min(int(at), kKnots - 2);
    return {knot, at - knot};
}

bool rises(const Response &response)
{
    double last = 0.0;
    for (int i = 1; i <= 512; ++i) {
        const double z = response.lightOf(i / 512.0 * (i / 512.0));
        if (!(z > last))
            return false;
        last = z;
    }
    return true;
}

struct Equation {
    Place dark, bright;
    double difference; // log2 of y bright / y dark
    int pair;
    double sure;   // by how coarsely its darker value is coded
    double weight; // less where it lies far off
};

/// One least squares solution: bends at the knots but the last, then one step a pair.
Eigen::VectorXd solved(const std::vector<Equation> &equations, std::span<const std::optional<double>> stated,
                       double statedError, bool bent)
{
    // A bend costs by its second differences, measured against matches whose weights sum to 1. Where steps are stated
    // that only has to calm the noise of 8-bit frames; where none is, it alone parts the curve from the steps, since a
    // power of light changes both alike. Stated steps weigh little: the matches know better, but for such a power.
    const bool known = std::ranges::any_of(stated, [](const auto &s) { return s.has_value(); });
    const double kSmooth = known ? 0.0012 : 0.02;
    constexpr double kFlat = 1e-5, kStatedWeight = 2e-5;
    const Eigen::Index bends = kKnots - 1, n = bends + Eigen::Index(stated.size());
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(n);
    const auto add = [&](std::span<const std::pair<Eigen::Index, double>> terms, double value, double weight) {
        for (const auto &[i, fi] : terms) {
            b(i) += weight * fi * value;
            for (const auto &[j, fj] : terms)
                a(i, j) += weight * fi * fj;
        }
    };
    double total = 0.0;
    for (const Equation &e : equations)
        total += e.weight * e.sure;
    for (const Equation &e : equations) {
        std::vector<std::pair<Eigen::Index, double>> terms{{bends + e.pair, -1.0}};
        const auto bend = [&](int knot, double factor) {
            if (knot < bends) // h(1) = 0
                terms.emplace_back(knot, factor);
        };
        if (bent) {
            bend(e.bright.knot, 1.0 - e.bright.part);
            bend(e.bright.knot + 1, e.bright.part);
            bend(e.dark.knot, e.dark.part - 1.0);
            bend(e.dark.knot + 1, -e.dark.part);
        }
        add(terms, -e.difference, e.weight * e.sure / total);
    }
    for (Eigen::Index i = 0; i < bends; ++i) {
        add(std::array{std::pair{i, 1.0}}, 0.0, bent ? kFlat / double(bends) : 1.0);
        if (i == 0)
            continue;
        std::vector<std::pair<Eigen::Index, double>> terms{{i - 1, 1.0}, {i, -2.0}};
        if (i + 1 < bends)
            terms.emplace_back(i + 1, 1.0);
        add(terms, 0.0, kSmooth);
    }
    // What is stated is stated of frames, each with an error of its own, not of the steps between them: frame i lies
    // the sum of the steps before it above the first, and where all of them lie is left open (the last unknown).
    std::vector<std::pair<Eigen::Index, double>> frame{{n - 1, 1.0}};
    for (size_t i = 0; i < stated.size(); ++i) {
        if (stated[i])
            add(frame, *stated[i], kStatedWeight / (statedError * statedError));
        frame.emplace_back(bends + Eigen::Index(i), 1.0);
    }
    for (Eigen::Index p = bends; p < n; ++p) // a step without matches stays determined
        a(p, p) += 1e-10;
    return a.ldlt().solve(b);
}

double residualOf(const Equation &e, const Eigen::VectorXd &x)
{
    const auto bend = [&](const Place &p) {
        const double low = x(p.knot), high = p.knot + 1 < kKnots - 1 ? x(p.knot + 1) : 0.0;
        return low + p.part * (high - low);
    };
    return e.difference + bend(e.bright) - bend(e.dark) - x(kKnots - 1 + e.pair);
}

/// Solves, weighs what lies far off less (Huber), solves again. Returns the RMS of the reweighted residuals.
double fit(std::vector<Equation> &equations, std::span<const std::optional<double>> stated, double statedError,
           bool bent, Eigen::VectorXd &x)
{
    double rms = 0.0;
    for (Equation &e : equations)
        e.weight = 1.0;
    for (int round = 0; round < 6; ++round) {
        x = solved(equations, stated, statedError, bent);
        std::vector<double> sizes;
        for (const Equation &e : equations)
            sizes.push_back(std::abs(residualOf(e, x)));
        std::vector<double> sorted = sizes;
        std::ranges::nth_element(sorted, sorted.begin() + ptrdiff_t(sorted.size() / 2));
        const double bound = std::max(1e-3, 2.0 * 1.4826 * sorted[sorted.size() / 2]);
        double sum = 0.0, weights = 0.0;
        for (size_t i = 0; i < equations.size(); ++i) {
            equations[i].weight = sizes[i] > bound ? bound / sizes[i] : 1.0;
            const double weight = equations[i].weight * equations[i].sure;
            sum += weight * sizes[i] * sizes[i];
            weights += weight;
        }
        rms = std::sqrt(sum / weights);
    }
    return rms;
}

constexpr int kBlock = 4; // pixels of a side

/// A row of blocks: what each column of pixels holds in it.
class BlockRow {
public:
    void read(ImageView<const uint16_t> codes, int plane, int y)
    {
        const auto width = size_t(codes.width());
        least_.assign(width, 65535);
        most_.assign(width, 0);
        sum_.assign(width, 0);
        for (int v = y; v < y + kBlock; ++v) {
            const uint16_t *row = codes.row(plane, v);
            for (size_t x = 0; x < width; ++x) {
                least_[x] = std::min(least_[x], row[x]);
                most_[x] = std::max(most_[x], row[x]);
                sum_[x] += row[x];
            }
        }
    }
    /// Of a block without structure, else below 0.
    float meanOfFlat(int block) const
    {
        constexpr float kFlatness = 0.12f; // of the mean, from least to most, beyond what noise makes
        constexpr float kNoiseFloor = 0.01f;
        const auto first = size_t(block * kBlock);
        uint16_t least = 65535, most = 0;
        double sum = 0.0;
        for (size_t x = first; x < first + kBlock; ++x) {
            least = std::min(least, least_[x]);
            most = std::max(most, most_[x]);
            sum += double(sum_[x]);
        }
        const float mean = float((sum / (kBlock * kBlock) - kPedestal) / double(kCodeScale));
        return float(most - least) / kCodeScale <= kFlatness * mean + kNoiseFloor ? mean : -1.0f;
    }

private:
    std::vector<uint16_t> least_, most_;
    std::vector<uint32_t> sum_;
};

} // namespace

double Response::lightOf(double y) const
{
    if (y >= 1.0)
        return y;
    const Place p = placeOf(y);
    return y * std::exp2(bend[size_t(p.knot)] + p.part * (bend[size_t(p.knot) + 1] - bend[size_t(p.knot)]));
}

std::vector<uint16_t> Response::table() const
{
    std::vector<uint16_t> out(65536);
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = codeOfLinear(lightOf(double(linearOfCode(uint16_t(i)))));
    return out;
}

MatchedLight matchedLight(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright)
{
    if (dark.shape() != bright.shape() || dark.planes() != 3)
        throw ArgumentError("response: two frames of one shape and three planes are needed");
    constexpr int kMatches = 160;
    BlockRow darkRow, brightRow;
    std::vector<float> darks, brights;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y + kBlock <= dark.height(); y += kBlock) {
            darkRow.read(dark, c, y);
            brightRow.read(bright, c, y);
            for (int block = 0; block < dark.width() / kBlock; ++block) {
                const float d = darkRow.meanOfFlat(block), b = brightRow.meanOfFlat(block);
                if (d < 0.0f || b < 0.0f)
                    continue;
                darks.push_back(d);
                brights.push_back(b);
            }
        }
    std::ranges::sort(darks);
    std::ranges::sort(brights);
    // Ranks that both frames hold, and of these as many as are needed, spread evenly over the brighter frame's values:
    // a plain wall must not speak for the whole curve.
    MatchedLight out;
    const auto first = std::ranges::lower_bound(darks, kLow) - darks.begin();
    const auto last = std::ranges::upper_bound(brights, kHigh) - brights.begin();
    if (last - first < 200)
        return out;
    const float from = std::sqrt(std::max(brights[size_t(first)], 0.0f)), to = std::sqrt(brights[size_t(last) - 1]);
    constexpr ptrdiff_t kHalf = 8; // means of neighbouring ranks
    ptrdiff_t taken = -1;
    for (int i = 0; i <= kMatches; ++i) {
        const float wanted = from + (to - from) * float(i) / kMatches;
        const ptrdiff_t rank = std::clamp<ptrdiff_t>(
            std::ranges::lower_bound(brights, wanted * wanted) - brights.begin(), first + kHalf, last - 1 - kHalf);
        if (rank == taken)
            continue;
        taken = rank;
        float d = 0.0f, b = 0.0f;
        for (ptrdiff_t k = rank - kHalf; k <= rank + kHalf; ++k) {
            d += darks[size_t(k)] / (2 * kHalf + 1);
            b += brights[size_t(k)] / (2 * kHalf + 1);
        }
        out.push_back({d, b});
    }
    return out;
}

FittedResponse fitResponse(std::span<const MatchedLight> matches, std::span<const std::optional<double>> stated,
                           double statedError)
{
    if (matches.size() + 1 != stated.size() || !(statedError > 0.0))
        throw ArgumentError(textOf("response: %zu lists of matches, %zu frames", matches.size(), stated.size()));
    FittedResponse out;
    out.steps.resize(matches.size());
    constexpr double kCoarse = 0.01; // of clipping: where 8-bit codes and noise cost most of the precision
    std::vector<Equation> equations;
    for (size_t p = 0; p < matches.size(); ++p)
        for (const auto &[dark, bright] : matches[p])
            equations.push_back({placeOf(double(dark)), placeOf(double(bright)),
                                 std::log2(double(bright) / double(dark)), int(p),
                                 std::pow(double(dark) / (double(dark) + kCoarse), 2), 1.0});
    if (equations.size() < 2 * kKnots)
        return out;
    Eigen::VectorXd straight, bent;
    Response &r = out.response;
    r.disagreementBefore = fit(equations, stated, statedError, false, straight);
    r.disagreementAfter = fit(equations, stated, statedError, true, bent);
    for (int i = 0; i + 1 < kKnots; ++i)
        r.bend[size_t(i)] = bent(i);
    r.fitted = rises(r) && r.disagreementAfter < 0.7 * r.disagreementBefore &&
               r.disagreementAfter < r.disagreementBefore - 0.01;
    if (!r.fitted)
        r.bend.fill(0.0);
    const Eigen::VectorXd &x = r.fitted ? bent : straight;
    for (size_t p = 0; p < matches.size(); ++p)
        out.steps[p] = {x(kKnots - 1 + Eigen::Index(p)), matches[p].empty() ? 1e3 : r.disagreementAfter};
    return out;
}

} // namespace yolk
