// Values that depend on the place in the scene and on a pixel's light (or another guide): found once from a small
// picture of the scene and looked up for any pixel of it at any size, so that views, tiles and the full picture agree.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace yolk {

/// Where a picture lies in its scene, in shares of the scene's sides, and how many pixels it has.
struct ScenePart {
    double x0 = 0.0, y0 = 0.0, x1 = 1.0, y1 = 1.0;
    bool operator==(const ScenePart &) const = default;
};

/// Two values a cell, between cells linear along x, y and light; outside of the grid as at its edge.
/// Source: the bilateral grid of [Chen2007].
class LightGrid {
public:
    static constexpr int kValues = 2;
    /// Zeroed. `lights` cells from `lowest` EV on, `stops` apart; at least 2 of each.
    LightGrid(int columns, int rows, int lights, double lowest, double stops);

    int columns() const { return columns_; }
    int rows() const { return rows_; }
    int lights() const { return lights_; }
    double evAt(int light) const { return lowest_ + light * stops_; }
    double lightOf(double ev) const { return (ev - lowest_) / stops_; }
    size_t bytes() const { return cells_.size() * sizeof(float); }

    /// kValues values of a cell; those of the next light follow.
    float *at(int column, int row, int light) { return cells_.data() + indexOf(column, row, light); }
    const float *at(int column, int row, int light) const { return cells_.data() + indexOf(column, row, light); }

    /// The cells at a height, `y` in shares of the scene's: what lookUp() of a row of pixels reads.
    void rowAt(double y, std::vector<float> &out) const;
    /// Values of pixels along a row, from the cells of rowAt(): `x` of the first pixel's middle in shares of the
    /// scene's width, `step` from pixel to pixel. NaN counts as the lowest light.
    void lookUp(std::span<const float> row, double x, double step, std::span<const float> ev, std::span<float> first,
                std::span<float> second) const;

private:
    size_t indexOf(int column, int row, int light) const
    {
        return ((size_t(row) * size_t(columns_) + size_t(column)) * size_t(lights_) + size_t(light)) * kValues;
    }

    int columns_, rows_, lights_;
    double lowest_, stops_;
    std::vector<float> cells_;
};

} // namespace yolk
