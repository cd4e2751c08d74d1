// Pairs of places, or of ranks, that the fit of a response is made from.
#include "frames/response.h"

#include "base/errors.h"
#include "base/robust.h"
#include "base/text.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <tuple>

namespace yolk {
namespace {

/// What moved shows another ratio than most places of like light.
void dropStrangers(std::vector<LightPair> &alike)
{
    if (alike.size() < 8)
        return;
    const auto stepOf = [](const LightPair &p) { return std::log2(p.brightLight / p.darkLight); };
    std::vector<float> steps, away;
    for (const LightPair &p : alike)
        steps.push_back(stepOf(p));
    const float middle = medianOf(steps);
    for (float s : steps)
        away.push_back(std::abs(s - middle));
    constexpr float kAlways = 0.25f, kDeviations = 4.0f; // EV; standard ones
    const float most = kAlways + kDeviations * float(kDeviationOfMedian) * medianOf(away);
    std::erase_if(alike, [&](const LightPair &p) { return std::abs(stepOf(p) - middle) > most; });
}

} // namespace

std::vector<LightPair> lightPairs(std::span<const std::vector<PlaceLight>> frames, const PlaceGrid &grid,
                                  std::span<const double> lowest, double codeStep, ExecContext &ctx)
{
    if (frames.size() != lowest.size())
        throw ArgumentError(textOf("%zu frames, %zu lowest values", frames.size(), lowest.size()));
    constexpr float kHigh = 0.98f; // clear of what counts as clipped
    constexpr size_t kBins = 48, kInBin = 10;
    const auto errorOf = [&](const PlaceLight &p, size_t c) {
        const double y = double(p.mean[c]), code = codeStep * std::max(2.2 * std::pow(y, 0.545), 0.077); // sRGB's slope
        return (kSlipOfPlaces * double(p.spread[c]) + code) / y / std::numbers::ln2;
    };
    struct Task {
        size_t dark, bright, c;
        std::vector<LightPair> pairs;
    };
    std::vector<Task> tasks;
    for (size_t bright = 1; bright < frames.size(); ++bright)
        for (size_t dark = bright >= 2 ? bright - 2 : 0; dark < bright; ++dark)
            for (size_t c = 0; c < 3; ++c)
                tasks.push_back({dark, bright, c, {}});
    ExecContext own = ctx.child({});
    forEachPart(own, int(tasks.size()), [&](int t, ExecContext &) {
        Task &task = tasks[size_t(t)];
        const auto [dark, bright, c] = std::tuple(task.dark, task.bright, task.c);
        std::array<std::vector<LightPair>, kBins> bins;
        for (size_t i = 0; i < grid.count(); ++i) {
            const PlaceLight &d = frames[dark][i], &b = frames[bright][i];
            if (!d.shown || !b.shown)
                continue;
            if (!(double(d.mean[c]) > lowest[dark]) || b.most[c] > kHigh || !(double(b.mean[c]) > lowest[bright]))
                continue;
            const double error = std::sqrt(std::pow(errorOf(d, c), 2) + std::pow(errorOf(b, c), 2) +
                                           std::pow(kSamplingOfPlaces / std::numbers::ln2, 2));
            bins[std::min(kBins - 1, size_t(std::sqrt(b.mean[c]) * kBins))].push_back(
                {dark, bright, int(c), grid.tileOf(i), d.mean[c], b.mean[c], float(error)});
        }
        for (std::vector<LightPair> &bin : bins) {
            dropStrangers(bin);
            std::ranges::stable_sort(bin, {}, &LightPair::error);
            const size_t even = std::min(bin.size(), std::max(kInBin, bin.size() / 2));
            const size_t count = std::min(even, kInBin);
            for (size_t k = 0; k < count; ++k)
                task.pairs.push_back(bin[k * even / count]);
        }
    });
    std::vector<LightPair> out;
    for (const Task &task : tasks)
        out.insert(out.end(), task.pairs.begin(), task.pairs.end());
    return out;
}

std::vector<LightPair> lightPairsByRank(std::span<const ImageView<const uint16_t>> frames)
{
    constexpr int kBlock = 6, kSamples = 480;
    constexpr float kLow = 0.004f, kHigh = 0.98f, kError = 0.05f; // EV: what has moved in or out
    std::vector<std::array<std::vector<float>, 3>> sorted(frames.size());
    for (size_t f = 0; f < frames.size(); ++f)
        for (int c = 0; c < 3; ++c) {
            std::vector<float> &blocks = sorted[f][size_t(c)];
            for (int y = 0; y + kBlock <= frames[f].height(); y += kBlock)
                for (int x = 0; x + kBlock <= frames[f].width(); x += kBlock) {
                    float sum = 0.0f;
                    for (int v = y; v < y + kBlock; ++v)
                        for (int u = x; u < x + kBlock; ++u)
                            sum += linearOfCode(frames[f].row(c, v)[u]);
                    blocks.push_back(sum / (kBlock * kBlock));
                }
            std::ranges::sort(blocks);
        }
    std::vector<LightPair> out;
    for (size_t bright = 1; bright < frames.size(); ++bright)
        for (size_t dark = bright >= 2 ? bright - 2 : 0; dark < bright; ++dark)
            for (size_t c = 0; c < 3; ++c) {
                const std::vector<float> &b = sorted[bright][c], &d = sorted[dark][c];
                size_t last = b.size();
                for (int i = 1; i < kSamples && b.size() == d.size(); ++i) { // evenly over the coded range
                    const float wanted = kHigh * float(i * i) / (kSamples * kSamples);
                    const auto rank = size_t(std::ranges::lower_bound(b, wanted) - b.begin());
                    if (rank == last || rank >= b.size() || b[rank] > kHigh || d[rank] < kLow)
                        continue;
                    last = rank;
                    const int tile = int(out.size()) % (PlaceGrid::kTilesAcross * PlaceGrid::kTilesDown);
                    out.push_back({dark, bright, int(c), tile, d[rank], b[rank], kError});
                }
            }
    return out;
}

} // namespace yolk
