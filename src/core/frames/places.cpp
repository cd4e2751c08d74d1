#include "frames/places.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>

namespace yolk {

int PlaceGrid::tileOf(size_t place) const
{
    const int x = int(place % size_t(across())), y = int(place / size_t(across()));
    return y * kTilesDown / down() * kTilesAcross + x * kTilesAcross / across();
}

double tilesSure(std::span<const double> gain, std::span<const double> count)
{
    constexpr double kFewest = 4.0; // places
    double mean = 0.0, tiles = 0.0, squares = 0.0;
    for (size_t t = 0; t < gain.size(); ++t)
        if (count[t] >= kFewest) {
            const double g = gain[t] / count[t];
            mean += g;
            squares += g * g;
            tiles += 1.0;
        }
    if (tiles < 4.0)
        return 0.0;
    mean /= tiles;
    const double variance = std::max(1e-12, squares / tiles - mean * mean);
    return mean / std::sqrt(variance / tiles);
}

std::vector<PlaceLight> lightAtPlaces(ImageView<const uint16_t> codes, const PlaceGrid &grid, const PlaceMap &map)
{
    if (codes.planes() != 3 || grid.side < 1 || grid.reduction < 1)
        throw ArgumentError(textOf("places of %d pixels in %d planes", grid.side, codes.planes()));
    std::vector<PlaceLight> out(grid.count());
    for (size_t i = 0; i < out.size(); ++i) {
        const auto [x, y] = map(grid.middleX(i), grid.middleY(i));
        const double left = std::round(x / grid.reduction - 0.5 * grid.side);
        const double top = std::round(y / grid.reduction - 0.5 * grid.side);
        if (!(left >= 0.0 && top >= 0.0 && left + grid.side <= codes.width() && top + grid.side <= codes.height()))
            continue;
        PlaceLight &place = out[i];
        place.shown = true;
        for (int c = 0; c < 3; ++c) {
            uint16_t least = 65535, most = 0;
            uint32_t sum = 0;
            for (int v = 0; v < grid.side; ++v) {
                const uint16_t *row = codes.row(c, int(top) + v) + int(left);
                for (int u = 0; u < grid.side; ++u) {
                    least = std::min(least, row[u]);
                    most = std::max(most, row[u]);
                    sum += row[u];
                }
            }
            place.mean[size_t(c)] =
                (float(sum) / float(grid.side * grid.side) - float(kPedestal)) * (1.0f / kCodeScale);
            place.spread[size_t(c)] = float(most - least) * (1.0f / kCodeScale);
            place.most[size_t(c)] = linearOfCode(most);
        }
    }
    return out;
}

} // namespace yolk
