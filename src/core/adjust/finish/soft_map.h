// Something that changes slowly over the picture, known at a few places.
#pragma once

#include "image/parameter.h"

namespace yolk {

/// Planes over the whole reference frame, read between their pixels; beyond the edge its pixels repeat. Thread-safe.
class SoftMap {
public:
    /// `width` x `height` of the reference frame.
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

/// All planes of an image through a Gaussian, its sigma in shares of the longer side; wide ones on fewer pixels.
Image<float> blurred(ImageView<const float> image, double sigma);

/// log2 of the luminance of linear Rec. 2020, from -20 on. One plane.
Image<float> stopsOf(ImageView<const float> scene);

} // namespace yolk
