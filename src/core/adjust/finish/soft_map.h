// Something that changes slowly over the picture, known at a few places.
#pragma once

#include "image/parameter.h"

namespace yolk {

/// Planes over the whole reference frame, read between their pixels; beyond the edge its pixels repeat. Thread-safe.
class SoftMap {
public:
    /// `width` x `height` of the reference frame.
    SoftMap(Image<float> planes, double width, double height);
    /// Along row `y` of a grid. `scratch` is of the caller, so that rows need no memory of their own.
    void row(int plane, const PixelGrid &grid, int y, int width, std::vector<float> &scratch, float *out) const;

private:
    Image<float> planes_;
    double perX_, perY_; ///< pixels of the map to one of the frame
};

/// All planes of an image through a Gaussian, its sigma in shares of the longer side; wide ones on fewer pixels.
Image<float> blurred(ImageView<const float> image, double sigma);

/// log2 of the luminance of linear Rec. 2020, from -20 on. One plane.
Image<float> stopsOf(ImageView<const float> scene);

} // namespace yolk
