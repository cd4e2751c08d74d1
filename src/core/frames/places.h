// The same places of a scene, as every frame of a set shows them: what response, exposures and white levels are read
// from once the frames have been brought onto each other.
#pragma once

#include "image/image.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

namespace yolk {

/// From a point of the reference frame to where the same thing lies in a frame; full-resolution pixels of both.
using PlaceMap = std::function<std::array<double, 2>(double x, double y)>;

/// A small square of a frame, in linear values.
struct PlaceLight {
    std::array<float, 3> mean{};
    std::array<float, 3> spread{}; ///< from least to most
    std::array<float, 3> most{};   ///< of any pixel, never evened: what clips in part says too little
    bool shown = false;            ///< false: it lies outside, and the rest is 0
    /// Of any channel: where one clips, colour coding and gamuts bend the others.
    float mostOfAll() const { return std::max({most[0], most[1], most[2]}); }
};

/// A grid over the reference frame. Neighbouring places do not overlap.
struct PlaceGrid {
    int width = 0, height = 0; ///< of the reference frame, full-resolution pixels
    int side = 6;              ///< of a place, in pixels of the reduced frames
    int reduction = 1;
    int across() const { return std::max(0, width / (side * reduction)); }
    int down() const { return std::max(0, height / (side * reduction)); }
    /// Full-resolution pixels of the reference.
    double middleX(size_t place) const { return (double(place % size_t(across())) + 0.5) * side * reduction; }
    double middleY(size_t place) const { return (double(place / size_t(across())) + 0.5) * side * reduction; }
    size_t count() const { return size_t(across()) * size_t(down()); }
    /// Tiles of the picture that a place lies in, kTilesAcross x kTilesDown.
    static constexpr int kTilesAcross = 12, kTilesDown = 8;
    int tileOf(size_t place) const;
    /// Tiles make a chessboard: what was fitted to one half is judged on the other.
    static bool isWhite(int tile) { return (tile % kTilesAcross + tile / kTilesAcross) % 2 == 0; }
};

/// How sure a gain is that was summed over `count` places of each tile: its mean over its standard error. Places of a
/// tile err together; tiles are the independent ones. 0 of fewer than four tiles.
double tilesSure(std::span<const double> gain, std::span<const double> count);

/// What a place's mean may be wrong by: a share of its contrast, as a shift of half a pixel changes it; and a share of
/// itself, from demosaicing, sharpening and scaling.
inline constexpr double kSlipOfPlaces = 0.12, kSamplingOfPlaces = 0.01;

/// Means and spreads at all places of the grid. `codes` are the frame at 1 / grid.reduction; a place is taken at whole
/// pixels, so that on a slope it may lie beside itself by half of one: its spread says by how much that matters.
/// Shapes: linear codes, three planes. Throws ArgumentError. Threads: one.
std::vector<PlaceLight> lightAtPlaces(ImageView<const uint16_t> codes, const PlaceGrid &grid, const PlaceMap &map);

} // namespace yolk
