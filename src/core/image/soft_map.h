// Something that changes slowly over a frame, known at a few places.
#pragma once

#include "image/parameter.h"

namespace yolk {

/// Planes over a whole frame, read between their pixels; beyond the edge its pixels repeat. Thread-safe.
class SoftMap {
public:
    /// `width` x `height`: what the planes span, in pixels of the frame.
    SoftMap(Image<float> planes, double width, double height);

    /// What one thread reads rows of a grid with. Refers to the map.
    class Rows {
    public:
        Rows(const SoftMap &map, const PixelGrid &grid, int width);
        void read(int plane, int y, float *out); ///< `width` values along row `y` of the grid

    private:
        const SoftMap &map_;
        PixelGrid grid_;
        std::vector<int> left_; ///< the column of the map before each pixel
        std::vector<float> share_, line_;
    };
    Rows rows(const PixelGrid &grid, int width) const { return {*this, grid, width}; }

private:
    Image<float> planes_;
    double perX_, perY_; ///< pixels of the map to one of the frame
};

} // namespace yolk
