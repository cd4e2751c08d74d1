#include "align/foretold_flow.h"

#include "base/vectorise.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr size_t kTerms = 12;
using Normal = Eigen::Matrix<double, int(kTerms), int(kTerms)>;
using Solved = Eigen::Matrix<double, int(kTerms), 2>;
using Terms = Eigen::Matrix<double, int(kTerms), 1>;

/// Of a displacement at a place, both from -1 to 1 over the picture: two depths apart by so much lie so far apart in the
/// other frame; another plane taken out; a camera that went forward too.
Terms termsAt(double x, double y, double right, double down)
{
    Terms out;
    out << right, down, 1.0, x, y, right * x, right * y, down * x, down * y, x * x, x * y, y * y;
    return out;
}

/// One coordinate of a row of them: the sum of terms times what was solved for.
YOLK_MULTIVERSION
void foretellRow(const float *solved, float y, const float *__restrict right, const float *__restrict down, int width,
                 float *__restrict out)
{
    const float *const s = solved;
    const float rightAt = s[0] + s[6] * y, downAt = s[1] + s[8] * y, at = s[2] + (s[4] + s[11] * y) * y,
                slope = s[3] + s[10] * y;
    for (int i = 0; i < width; ++i) {
        const float x = 2.0f * (float(i) + 0.5f) / float(width) - 1.0f;
        out[i] = (rightAt + s[5] * x) * right[i] + (downAt + s[7] * x) * down[i] + at + (slope + s[9] * x) * x;
    }
}

} // namespace

std::optional<Image<float>> foretoldFlow(const BelievedFlow &known, const BelievedFlow &wanted, ExecContext &ctx)
{
    const Shape two = wanted.flow.shape(), one{two.width, two.height, 1};
    if (two.empty() || two.planes != 2 || known.flow.shape() != two || known.belief.shape() != one ||
        wanted.belief.shape() != one)
        throw ArgumentError("flows that foretell each other must be of one size");
    constexpr int kEvery = 8, kFewest = 200, kRounds = 8; // pixels; samples
    constexpr double kUsual = 0.1;                        // pixels by which flows err at least
    struct Sample {
        Terms terms;
        double weight, right, down, off;
    };
    const auto shareOf = [](int at, int size) { return 2.0 * (at + 0.5) / size - 1.0; };
    const auto termsOf = [&](int x, int y) {
        return termsAt(shareOf(x, two.width), shareOf(y, two.height), double(known.flow.row(0, y)[x]),
                       double(known.flow.row(1, y)[x]));
    };
    std::vector<Sample> samples;
    for (int y = kEvery / 2; y < two.height; y += kEvery)
        for (int x = kEvery / 2; x < two.width; x += kEvery)
            if (const double w = double(known.belief.row(0, y)[x]) * double(wanted.belief.row(0, y)[x]); w > 0.25)
                samples.push_back(
                    {termsOf(x, y), w, double(wanted.flow.row(0, y)[x]), double(wanted.flow.row(1, y)[x]), 0.0});
    if (samples.size() < kFewest)
        return std::nullopt;
    Solved solved = Solved::Zero();
    double usual = INFINITY;
    std::vector<double> sizes(samples.size());
    for (int round = 0; round < kRounds; ++round) {
        ctx.throwIfStopped();
        Normal a = 1e-6 * Normal::Identity();
        Solved b = Solved::Zero();
        for (const Sample &s : samples) {
            const double q = s.off / usual, w = s.weight / ((1.0 + q * q) * (1.0 + q * q));
            a += w * s.terms * s.terms.transpose();
            b.col(0) += w * s.right * s.terms;
            b.col(1) += w * s.down * s.terms;
        }
        solved = a.ldlt().solve(b);
        for (size_t i = 0; i < samples.size(); ++i) {
            Sample &s = samples[i];
            sizes[i] = s.off = std::hypot(s.right - solved.col(0).dot(s.terms), s.down - solved.col(1).dot(s.terms));
        }
        std::ranges::nth_element(sizes, sizes.begin() + ptrdiff_t(sizes.size() / 2));
        usual = std::max(kUsual, sizes[sizes.size() / 2]);
    }
    Image<float> out(two, Fill::Anything);
    ExecContext own = ctx.child({});
    forEachBand(own, two.height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int k = 0; k < 2; ++k) {
                std::array<float, kTerms> terms;
                std::ranges::transform(solved.col(k), terms.begin(), [](double v) { return float(v); });
                foretellRow(terms.data(), float(shareOf(y, two.height)), known.flow.row(0, y), known.flow.row(1, y),
                            two.width, out.row(k, y));
            }
    });
    return out;
}

} // namespace yolk
