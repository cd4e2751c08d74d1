// Settings that may vary over the picture: a number, or a number for each pixel where areas vary it.
#pragma once

#include "image/mask_rows.h"

#include <memory>
#include <span>
#include <utility>
#include <vector>

namespace yolk {

/// Where the pixels of some rows lie: the middle of pixel (x, y) is at origin + (first + x + 0.5) * step, in pixels of
/// the reference frame. Tiles of one picture differ in `first` alone, so that a place comes out the same in all.
struct PixelGrid {
    double originX = 0.0, originY = 0.0, stepX = 1.0, stepY = 1.0;
    int firstX = 0, firstY = 0;
    const MaskRows *masks = nullptr; ///< what areas say of these pixels; null: nothing

    double x(int pixel) const { return originX + (firstX + pixel + 0.5) * stepX; }
    double y(int pixel) const { return originY + (firstY + pixel + 0.5) * stepY; }
    PixelGrid from(int pixelX, int pixelY) const
    {
        return {originX, originY, stepX, stepY, firstX + pixelX, firstY + pixelY, masks};
    }
    double scale() const { return 1.0 / stepX; } ///< pixels per pixel of the reference frame
};

/// What areas make of a setting. Thread-safe.
class ParameterMap {
public:
    virtual ~ParameterMap() = default;
    /// The values of row `y` of a grid, from its first pixel on.
    virtual void fill(const PixelGrid &grid, int y, std::span<float> values) const = 0;
};
using ParameterMapPtr = std::shared_ptr<const ParameterMap>;

/// A parameter of the whole picture. Kernels read it as a row, with a value for each pixel.
struct Parameter {
    double value = 0.0;
    ParameterMapPtr map{}; ///< null: the value everywhere

    bool varies() const { return map != nullptr; }
    bool is(double neutral) const { return !map && value == neutral; }
    /// Along row `y` of a grid, `width` pixels of it, in `scratch`.
    const float *row(const PixelGrid &grid, int y, int width, std::vector<float> &scratch) const
    {
        scratch.assign(size_t(width), float(value));
        if (map)
            map->fill(grid, y, scratch);
        return scratch.data();
    }
};

/// A settings struct of which some members vary.
template <class S> class Varied {
public:
    Varied(S settings = {}) // implicit: settings that do not vary
        : settings_(std::move(settings))
    {
    }
    const S &settings() const { return settings_; }
    void vary(double S::*member, ParameterMapPtr map) { maps_.emplace_back(member, std::move(map)); }
    Parameter operator[](double S::*member) const
    {
        for (const auto &[varied, map] : maps_)
            if (varied == member)
                return {settings_.*member, map};
        return {settings_.*member};
    }

private:
    S settings_;
    std::vector<std::pair<double S::*, ParameterMapPtr>> maps_;
};

} // namespace yolk
