#include "frames/defects.h"

#include <algorithm>
#include <array>
#include <map>

namespace yolk {
namespace {

constexpr int kReach = 2; // to the next pixel of the same colour

/// How far a value lies above the largest, or below the smallest, of the eight nearest of its colour; 0 within.
struct Outlier {
    int excess = 0;
    int spread = 0; // of the eight
};
Outlier outlierAt(const ImageView<uint16_t> &values, int x, int y)
{
    int least = 65535, most = 0;
    for (int dy = -kReach; dy <= kReach; dy += kReach)
        for (int dx = -kReach; dx <= kReach; dx += kReach)
            if (dx != 0 || dy != 0) {
                const int v = values.row(0, y + dy)[x + dx];
                least = std::min(least, v);
                most = std::max(most, v);
            }
    const int own = values.row(0, y)[x];
    return {own > most ? own - most : own < least ? own - least : 0, most - least};
}

/// How far a value lies above, or below, the median of the eight nearest of its colour.
int aboveMedian(const ImageView<uint16_t> &values, int x, int y)
{
    std::array<int, 8> near;
    size_t n = 0;
    for (int dy = -kReach; dy <= kReach; dy += kReach)
        for (int dx = -kReach; dx <= kReach; dx += kReach)
            if (dx != 0 || dy != 0)
                near[n++] = values.row(0, y + dy)[x + dx];
    std::ranges::nth_element(near, near.begin() + 4);
    return values.row(0, y)[x] - near[4];
}

} // namespace

std::vector<SensorPlace> standingOut(const Mosaic &mosaic)
{
    const ImageView<uint16_t> &v = mosaic.values;
    std::vector<SensorPlace> out;
    constexpr int kSpreads = 4;
    const int least = std::max(4, mosaic.clipped / 100);
    const size_t most = std::max<size_t>(16, v.shape().pixels() / 1000);
    constexpr int kEdge = kReach + 1;
    for (int y = kEdge; y < v.height() - kEdge; ++y) {
        const uint16_t *row = v.row(0, y);
        for (int x = kEdge; x < v.width() - kEdge; ++x) {
            const int own = row[x], left = row[x - kReach], right = row[x + kReach];
            if (std::abs(own - left) < least || std::abs(own - right) < least) // most end here
                continue;
            const Outlier o = outlierAt(v, x, y);
            const int size = std::abs(o.excess);
            if (size < least || size < kSpreads * o.spread || own - o.excess >= mosaic.clipped)
                continue;
            const auto alone = [&](int u, int w) {
                // The filter before a sensor spreads a point by half a pixel (standard deviation): an eighth beside it,
                // of which the least sensitive colour takes half.
                const int beside = aboveMedian(v, u, w);
                return (beside > 0) != (o.excess > 0) || std::abs(beside) * 16 < size;
            };
            if (!alone(x - 1, y) || !alone(x + 1, y) || !alone(x, y - 1) || !alone(x, y + 1))
                continue;
            out.push_back({uint16_t(x), uint16_t(y)});
            if (out.size() > most)
                return {};
        }
    }
    return out;
}

std::vector<SensorPlace> defectsOf(std::span<const std::vector<SensorPlace> *const> frames)
{
    std::map<SensorPlace, size_t> seen;
    for (const std::vector<SensorPlace> *f : frames)
        for (const SensorPlace &p : *f)
            ++seen[p];
    std::vector<SensorPlace> out;
    for (const auto &[place, count] : seen)
        if (count >= 2 && 2 * count >= frames.size())
            out.push_back(place);
    std::ranges::sort(out, {}, [](const SensorPlace &p) { return std::pair(p.y, p.x); });
    return out;
}

void replaceDefects(const Mosaic &mosaic, std::span<const SensorPlace> defects)
{
    const auto isDefect = [&](int x, int y) {
        return std::ranges::binary_search(defects, std::pair(uint16_t(y), uint16_t(x)), {},
                                          [](const SensorPlace &p) { return std::pair(p.y, p.x); });
    };
    const ImageView<uint16_t> &v = mosaic.values;
    for (const SensorPlace &p : defects) {
        std::vector<uint16_t> near;
        for (int y = p.y - kReach; y <= p.y + kReach; y += kReach)
            for (int x = p.x - kReach; x <= p.x + kReach; x += kReach)
                if (x >= 0 && y >= 0 && x < v.width() && y < v.height() && !isDefect(x, y))
                    near.push_back(v.row(0, y)[x]);
        if (near.empty() || p.x >= v.width() || p.y >= v.height())
            continue;
        const auto middle = near.begin() + ptrdiff_t(near.size() / 2);
        std::ranges::nth_element(near, middle);
        v.row(0, p.y)[p.x] = *middle;
    }
}

} // namespace yolk
