// The same places of a scene, as every frame of a set shows them: what response, exposures and white levels are read
// from once the frames have been brought onto each other.
#pragma once

#include "image/image.h"

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
    bool shown = false;            ///< false: it lies outside, and the rest is 0
};

/// A grid over the reference frame. Neighbouring places do not overlap.
struct PlaceGrid {
    int width = 0, height = 0; ///< of the reference frame, full-resolution pixels
    int side = 6;              ///< of a place, in pixels of the reduced frames
    int reduction = 1;
    int across() const { return std::max(0, width / (side * reduction)); }
    int down() const { return std::max(0, height / (side * reduction)); }
    size_t count() const { return size_t(across()) * size_t(down()); }
    /// Tiles of the picture that a place lies in, kTilesAcross x kTilesDown.
    static constexpr int kTilesAcross = 12, kTilesDown = 8;
    int tileOf(size_t place) const;
};

/// Means and spreads at all places of the grid. `codes` are the frame at 1 / grid.reduction; a place is taken at whole
/// pixels, so that on a slope it may lie beside itself by half of one: its spread says by how much that matters.
/// Shapes: linear codes, three planes. Throws ArgumentError. Threads: one.
std::vector<PlaceLight> lightAtPlaces(ImageView<const uint16_t> codes, const PlaceGrid &grid, const PlaceMap &map);

} // namespace yolk
