#include "frames/noise_estimate.h"

#include "io/linear_codes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kBlock = 8;
/// Neighbouring filtered samples share pixels, so 64 of them are worth 64 / (1 + 2 (16 + 1) / 36)^2 independent ones.
constexpr double kFreedom = 64.0 / 3.781;
constexpr double kBrightest = 0.85; // of clipping: beyond it noise is cut off
constexpr size_t kFewestBlocks = 150;
constexpr double kTextured = 1.15; // a bin that lies so far above the line holds no smooth blocks

/// Share of a chi-square distribution over its freedom below x: the regularised lower incomplete gamma function P(k/2,
/// k x / 2) by its series, which converges for the small arguments asked here.
double shareBelow(double x)
{
    const double a = kFreedom / 2.0, z = a * x;
    double term = 1.0 / a, sum = term;
    for (int n = 1; n < 200; ++n) {
        term *= z / (a + n);
        sum += term;
    }
    return sum * std::exp(a * std::log(z) - z - std::lgamma(a));
}

/// The variance of noise alone among blocks, most of which may hold texture: the smallest s below which the number of
/// blocks grows as it does for noise of variance s. Empty when there are too few.
std::optional<double> smoothVariance(std::vector<float> variances)
{
    constexpr double kInner = 0.92;
    static const double expected = shareBelow(kInner) / shareBelow(1.0);
    std::ranges::sort(variances);
    const size_t fewest = std::max<size_t>(60, variances.size() / 200);
    size_t inner = 0;
    for (size_t i = fewest; i < variances.size(); ++i) {
        const double s = double(variances[i]);
        while (double(variances[inner]) < kInner * s)
            ++inner;
        if (double(inner) >= expected * double(i))
            return s;
    }
    return std::nullopt;
}

struct Bin {
    double mean, variance, weight;
};

/// Least squares of relative residuals, reweighted by the fit; bins that lie far above it hold texture and go.
std::optional<NoiseModel> lineThrough(const std::vector<Bin> &bins)
{
    std::vector<bool> out(bins.size());
    NoiseModel fit{0.0, 0.0};
    for (int round = 0; round < 12; ++round) {
        double s = 0, sm = 0, smm = 0, sv = 0, smv = 0;
        for (size_t i = 0; i < bins.size(); ++i) {
            if (out[i])
                continue;
            const Bin &b = bins[i];
            const double at = round == 0 ? b.variance : fit.gain * std::max(b.mean, 0.0) + fit.readVariance;
            const double w = b.weight / (at * at);
            s += w;
            sm += w * b.mean;
            smm += w * b.mean * b.mean;
            sv += w * b.variance;
            smv += w * b.mean * b.variance;
        }
        const double determinant = s * smm - sm * sm;
        if (!(determinant > 0.0))
            return std::nullopt;
        fit = {(s * smv - sm * sv) / determinant, (smm * sv - sm * smv) / determinant};
        if (!(fit.readVariance > 0.0))
            fit = {smv / smm, 1e-12};
        if (!(fit.gain > 0.0))
            return std::nullopt;
        for (size_t i = 0; i < bins.size(); ++i)
            out[i] = bins[i].variance > kTextured * fit.variance(bins[i].mean);
    }
    return fit;
}

} // namespace

std::vector<NoiseBlock> noiseBlocks(ImageView<const uint16_t> codes, const std::array<int, 3> &sharedBy,
                                    ExecContext &ctx)
{
    if (codes.planes() != 3)
        throw ArgumentError("noise: needs three planes");
    std::vector<NoiseBlock> out;
    for (int c = 0; c < 3; ++c)
        for (int y0 = 1; y0 + kBlock < codes.height(); y0 += kBlock) {
            ctx.throwIfStopped();
            for (int x0 = 1; x0 + kBlock < codes.width(); x0 += kBlock) {
                double sum = 0.0, squares = 0.0;
                bool clipped = false;
                for (int y = y0; y < y0 + kBlock; ++y) {
                    const uint16_t *up = codes.row(c, y - 1), *here = codes.row(c, y), *down = codes.row(c, y + 1);
                    for (int x = x0; x < x0 + kBlock; ++x) {
                        const auto second = [x](const uint16_t *row) {
                            return int(row[x - 1]) - 2 * int(row[x]) + int(row[x + 1]);
                        };
                        const double residual = second(up) - 2 * second(here) + second(down);
                        squares += residual * residual;
                        sum += double(here[x]);
                        clipped =
                            clipped || here[x] > uint16_t(kPedestal + kBrightest * double(kCodeScale)) || here[x] <= 1;
                    }
                }
                if (clipped)
                    continue;
                const double n = kBlock * kBlock, scale = double(kCodeScale);
                // 36: the filter's sum of squares.
                out.push_back({float((sum / n - kPedestal) / scale),
                               float(sharedBy[size_t(c)] * squares / n / 36.0 / (scale * scale))});
            }
        }
    return out;
}

std::optional<NoiseEstimate> estimateNoise(std::vector<NoiseBlock> blocks)
{
    std::ranges::sort(blocks, {}, &NoiseBlock::mean);
    // Bins of equal count, but none wider than a quarter of a stop: the variance must not change much within one.
    std::vector<Bin> bins;
    const size_t count = std::max(kFewestBlocks, blocks.size() / 40);
    for (size_t first = 0; first < blocks.size();) {
        size_t last = first + 1;
        const double widest = std::max(1.2 * double(blocks[first].mean), double(blocks[first].mean) + 3e-4);
        while (last < blocks.size() && last - first < count && double(blocks[last].mean) < widest)
            ++last;
        if (last - first >= kFewestBlocks) {
            std::vector<float> variances;
            double mean = 0.0;
            for (size_t i = first; i < last; ++i) {
                variances.push_back(blocks[i].variance);
                mean += double(blocks[i].mean) / double(last - first);
            }
            if (const auto variance = smoothVariance(std::move(variances)))
                bins.push_back({mean, *variance, double(last - first)});
        }
        first = last;
    }
    if (bins.size() < 4)
        return std::nullopt;
    const auto fit = lineThrough(bins);
    if (!fit)
        return std::nullopt;
    NoiseEstimate out{*fit};
    double dark = 0.0;
    for (const NoiseBlock &b : blocks)
        dark += fit->readVariance > 0.3 * fit->variance(double(b.mean));
    out.readNoiseKnown = dark >= 0.01 * double(blocks.size());
    if (!out.readNoiseKnown)
        out.model.readVariance = 0.0;
    return out;
}

} // namespace yolk
