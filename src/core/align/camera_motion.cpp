#include "align/camera_motion.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace yolk {
namespace {

constexpr int kTilesAcross = 24, kTilesDown = 16;
constexpr double kDisplaced = 1.0; // pixels: less says nothing about a direction

double lengthOf(const Displaced &d)
{
    return std::hypot(d.by.x, d.by.y);
}

struct Homogeneous {
    double x, y, w;
};
Homogeneous cross(const Homogeneous &a, const Homogeneous &b)
{
    return {a.y * b.w - a.w * b.y, a.w * b.x - a.x * b.w, a.x * b.y - a.y * b.x};
}

} // namespace

double Epipole::offLine(const Displaced &d) const
{
    const double ux = x_ - w_ * d.at.x, uy = y_ - w_ * d.at.y, length = std::hypot(ux, uy);
    return length > 0.0 ? std::abs(ux * d.by.y - uy * d.by.x) / length : lengthOf(d);
}

bool followsCamera(const Epipole &epipole, const Displaced &d)
{
    constexpr double kAtLeast = 0.7, kShare = 0.15; // pixels: what a flow leaves; of its length
    return epipole.offLine(d) <= kAtLeast + kShare * lengthOf(d);
}

std::optional<Epipole> epipoleOf(std::span<const Displaced> displaced, int width, int height)
{
    constexpr size_t kFewestTiles = 24;
    constexpr double kWidespread = 0.15, kMostAgree = 0.6; // of the tiles that are seen; of those displaced
    std::vector<std::vector<Displaced>> tiles(size_t(kTilesAcross) * kTilesDown);
    std::vector<bool> seen(tiles.size());
    for (const Displaced &d : displaced) {
        const int u = std::clamp(int(d.at.x * kTilesAcross / width), 0, kTilesAcross - 1),
                  v = std::clamp(int(d.at.y * kTilesDown / height), 0, kTilesDown - 1);
        const size_t tile = size_t(v) * kTilesAcross + size_t(u);
        seen[tile] = true;
        if (lengthOf(d) > kDisplaced)
            tiles[tile].push_back(d);
    }
    const auto all = std::ranges::count(seen, true);
    std::erase_if(tiles, [](const auto &tile) { return tile.empty(); });
    if (tiles.size() < kFewestTiles || double(tiles.size()) < kWidespread * double(all))
        return std::nullopt;
    std::mt19937 random(1);
    const auto any = [&](size_t count) { return size_t(random() % count); };
    constexpr size_t kMostInTile = 12;
    for (auto &tile : tiles)
        while (tile.size() > kMostInTile) {
            std::swap(tile[any(tile.size())], tile.back());
            tile.pop_back();
        }
    const double scale = std::max(width, height);
    const auto lineOf = [&](const Displaced &d) {
        return cross({d.at.x / scale, d.at.y / scale, 1.0}, {d.by.x / scale, d.by.y / scale, 0.0});
    };
    std::optional<Epipole> best;
    double most = 0.0;
    constexpr int kTries = 400; // of pairs of which half are right: a miss in 10^50; of a fifth, in 10^7
    for (int i = 0; i < kTries; ++i) {
        const auto &one = tiles[any(tiles.size())], &other = tiles[any(tiles.size())];
        const Homogeneous e = cross(lineOf(one[any(one.size())]), lineOf(other[any(other.size())]));
        const double size = std::hypot(e.x, e.y, e.w);
        if (!(size > 1e-12))
            continue;
        const Epipole epipole(e.x * scale / size, e.y * scale / size, e.w / size);
        double votes = 0.0;
        for (const auto &tile : tiles)
            votes += double(std::ranges::count_if(tile, [&](const auto &d) { return followsCamera(epipole, d); })) /
                     double(tile.size());
        if (votes > most) {
            most = votes;
            best = epipole;
        }
    }
    return most >= kMostAgree * double(tiles.size()) ? best : std::nullopt;
}

} // namespace yolk
