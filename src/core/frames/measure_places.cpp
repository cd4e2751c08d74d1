#include "frames/measure_p.h"

#include "base/robust.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

namespace yolk {

PlacedGroup placedGroup(const Measuring &m, const std::vector<size_t> &group, const SetPlaces &placing,
                        ExecContext &ctx)
{
    PlacedGroup out;
    const Frame &reference = *m.frames[placing.reference];
    for (size_t i : group)
        if (placing.maps[i])
            out.frames.push_back(i);
    if (out.frames.size() < 2)
        return out;
    out.grid = {reference.width, reference.height, 6, measuringReduction(*m.frames[out.frames[0]])};
    out.light.resize(out.frames.size());
    ExecContext own = ctx.child({});
    forEachPart(own, int(out.frames.size()), [&](int k, ExecContext &) {
        const size_t i = out.frames[size_t(k)];
        out.light[size_t(k)] = lightAtPlaces(m.pixels[i]->view(), out.grid, *placing.maps[i]);
    });
    return out;
}

double lowestOf(const Frame &frame, const MeasuredFrame &measured)
{
    constexpr double kSnr = 1.5;                                           // of a single pixel; a place has 36
    const double coded = frame.isRaw() || frame.bits == 16 ? 1e-4 : 0.004; // 13 of 255 codes: finer ones round too much
    return std::max(coded, measured.noise.levelOfSnr(kSnr));
}

void findStandstill(const Measuring &m, const PlacedGroup &placed, std::vector<MeasuredFrame> &out)
{
    std::map<size_t, double> found; // in the group: share of what counts as clipping so far
    for (size_t k = 1; k < placed.frames.size(); ++k) {
        double share = 1.0;
        const MeasuredFrame &bright = out[placed.frames[k]];
        for (size_t j = 0; j < k; ++j) {
            const MeasuredFrame &dark = out[placed.frames[j]];
            const double ratio = bright.exposure / dark.exposure;
            for (size_t c = 0; c < 3; ++c) {
                std::vector<double> values, promised;
                std::map<int, int> tiles;
                constexpr double kBeyond = 1.3; // more light than clipping, though exposures may be off by a third
                for (size_t i = 0; i < placed.light[k].size(); ++i) {
                    const PlaceLight &b = placed.light[k][i], &d = placed.light[j][i];
                    if (!b.shown || !d.shown || double(d.mean[c]) * ratio < kBeyond || d.mean[c] > 0.9f)
                        continue;
                    values.push_back(double(b.mean[c]));
                    promised.push_back(double(d.mean[c]));
                    ++tiles[placed.grid.tileOf(i)];
                }
                if (values.size() < 60 || tiles.size() < 3)
                    continue;
                const double middle = medianOf(values);
                constexpr double kStands = 0.01, kNearlyAll = 0.85, kWide = 1.5; // an even wall would not be that wide
                constexpr double kAtEnd = 0.99, kLowest = 0.5, kBelow = 0.985;   // the last is bent
                const auto still =
                    std::ranges::count_if(values, [&](double v) { return std::abs(v - middle) < kStands * middle; });
                std::ranges::sort(promised);
                const double wide = promised[promised.size() * 9 / 10] / promised[promised.size() / 10];
                if (middle > kLowest && middle < kAtEnd && wide > kWide &&
                    double(still) > kNearlyAll * double(values.size()))
                    share = std::min(share, middle * kBelow);
            }
        }
        if (share < 1.0)
            found[k] = share;
    }
    for (const auto &[k, share] : found) {
        const Frame &frame = *m.frames[placed.frames[k]];
        if (!frame.isRaw())
            out[placed.frames[k]].whiteShare *= share;
    }
    // Of raw frames at one ISO the sensor is the same in all: the lowest that any shows.
    std::map<double, double> lowest;
    for (const auto &[k, share] : found)
        if (const Frame &frame = *m.frames[placed.frames[k]]; frame.isRaw()) {
            double &least = lowest.try_emplace(frame.metadata.iso.value_or(0.0), 1.0).first->second;
            least = std::min(least, share);
        }
    for (size_t i : placed.frames)
        if (const auto low = lowest.find(m.frames[i]->metadata.iso.value_or(0.0));
            m.frames[i]->isRaw() && low != lowest.end())
            out[i].whiteShare *= low->second;
}

namespace {

/// Where a place of the grid lies in a frame, as shares of its width and height.
std::array<double, 2> shareAt(const Frame &frame, const PlaceGrid &grid, size_t place, const PlaceMap &map)
{
    const auto [x, y] = map(grid.middleX(place), grid.middleY(place));
    return {x / frame.width, y / frame.height};
}

} // namespace

std::vector<std::vector<PlaceLight>> linearPlaces(const Measuring &m, const PlacedGroup &placed,
                                                  const SetPlaces &placing, const Response *curve,
                                                  std::span<const MeasuredFrame> measured, ExecContext &ctx)
{
    std::vector<std::vector<PlaceLight>> out(placed.light.size());
    ExecContext own = ctx.child({});
    forEachPart(own, int(out.size()), [&](int part, ExecContext &) {
        const auto k = size_t(part);
        out[k] = placed.light[k];
        const size_t frame = placed.frames[k];
        if (curve && isDeveloped(*m.frames[frame]))
            for (PlaceLight &p : out[k])
                for (size_t c = 0; c < 3; ++c) {
                    const double low = double(p.mean[c] - 0.5f * p.spread[c]),
                                 high = double(p.mean[c] + 0.5f * p.spread[c]);
                    p.mean[c] = float(curve->lightOf(double(p.mean[c]), int(c)));
                    p.spread[c] = float(curve->lightOf(high, int(c)) - curve->lightOf(low, int(c)));
                    p.most[c] = float(curve->lightOf(double(p.most[c]), int(c)));
                }
        const Unevenness &uneven = measured[frame].unevenness;
        for (size_t i = 0; !uneven.isEven() && i < out[k].size(); ++i) {
            const auto [x, y] = shareAt(*m.frames[frame], placed.grid, i, *placing.maps[frame]);
            const float factor = float(std::exp2(-uneven.at(x, y)));
            for (size_t c = 0; c < 3; ++c) {
                out[k][i].mean[c] *= factor;
                out[k][i].spread[c] *= factor;
            }
        }
    });
    return out;
}

std::vector<std::vector<PlaceLight>> evenedPlaces(const Measuring &m, const PlacedGroup &placed,
                                                  const SetPlaces &placing, const Response *curve,
                                                  std::span<const MeasuredFrame> measured, ExecContext &ctx)
{
    constexpr float kHigh = 0.98f; // what clips says nothing, however little light its line got
    std::vector<std::vector<PlaceLight>> out = linearPlaces(m, placed, placing, curve, measured, ctx);
    ExecContext own = ctx.child({});
    forEachPart(own, int(out.size()), [&](int part, ExecContext &) {
        const auto k = size_t(part);
        for (size_t i = 0; i < out[k].size(); ++i)
            for (size_t c = 0; c < 3; ++c) {
                const PlaceLight &seen = placed.light[k][i];
                PlaceLight &p = out[k][i];
                const float z = p.mean[c];
                const bool clips = seen.most[c] > kHigh;
                p.most[c] = seen.most[c];
                p.mean[c] = clips ? seen.mean[c] : curve ? float(curve->valueOf(double(z), int(c))) : z;
                const bool isScaled = seen.mean[c] > 0.0f;
                p.spread[c] = isScaled ? seen.spread[c] * (p.mean[c] / seen.mean[c]) : seen.spread[c];
            }
    });
    return out;
}

bool findUnevenness(const Measuring &m, const PlacedGroup &placed, const SetPlaces &placing,
                    const std::vector<std::vector<PlaceLight>> &light, std::vector<MeasuredFrame> &measured,
                    ExecContext &ctx)
{
    constexpr size_t kReach = 2, kMostInPair = 3000; // some 45 to a line
    constexpr double kClipped = 0.9;
    UnevenModel model{.frames = placed.frames.size(), .acrossColumns = false, .rim = false};
    model.aspect = double(placed.grid.width) / placed.grid.height;
    std::vector<double> apertures;
    for (size_t f : placed.frames) {
        const Metadata &metadata = m.frames[f]->metadata;
        model.acrossColumns = int(metadata.orientation()) >= int(Orientation::MirroredTurnedLeft);
        if (metadata.fNumber)
            apertures.push_back(*metadata.fNumber);
    }
    constexpr double kSixthOfAStop = 1.06; // of the number
    model.rim = !apertures.empty() && std::ranges::max(apertures) > kSixthOfAStop * std::ranges::min(apertures);
    std::vector<UnevenPair> pairs;
    for (size_t b = 1; b < placed.frames.size(); ++b)
        for (size_t d = b >= kReach ? b - kReach : 0; d < b; ++d) {
            const size_t dark = placed.frames[d], bright = placed.frames[b];
            const double lowest = lowestOf(*m.frames[dark], measured[dark]);
            const double ratio = measured[bright].exposure / measured[dark].exposure, expected = std::log2(ratio);
            std::vector<UnevenPair> own;
            for (size_t i = 0; i < light[d].size(); ++i) {
                const PlaceLight &low = light[d][i], &high = light[b][i];
                // By both alike: where the bright one alone decides, the places that lie beside their lights are kept.
                const double most = std::max(double(high.mostOfAll()), ratio * double(low.mostOfAll()));
                if (!low.shown || !high.shown || !(double(low.mean[1]) > lowest) || most > kClipped ||
                    !(high.mean[1] > low.mean[1] * 0.5f))
                    continue;
                const double scatter =
                    kSlipOfPlaces * (double(low.spread[1] / low.mean[1]) + double(high.spread[1] / high.mean[1]));
                own.push_back({d, b, shareAt(*m.frames[dark], placed.grid, i, *placing.maps[dark]),
                               shareAt(*m.frames[bright], placed.grid, i, *placing.maps[bright]),
                               std::log2(double(high.mean[1]) / double(low.mean[1])) - expected,
                               std::hypot(scatter, kSamplingOfPlaces) / std::numbers::ln2, placed.grid.tileOf(i)});
            }
            const size_t every = std::max<size_t>(1, own.size() / kMostInPair);
            for (size_t i = 0; i < own.size(); i += every)
                pairs.push_back(own[i]);
        }
    const std::vector<Unevenness> found = fitUnevenness(pairs, model, ctx);
    for (size_t k = 0; k < found.size(); ++k)
        measured[placed.frames[k]].unevenness = found[k];
    return !found.empty();
}

} // namespace yolk
