// Small pictures that adjustments make of what they see of the whole.
#pragma once

#include "image/image.h"

namespace yolk {

/// All planes of an image through a Gaussian, its sigma in shares of the longer side; wide ones on fewer pixels.
Image<float> blurred(ImageView<const float> image, double sigma);

/// log2 of the luminance of linear Rec. 2020, from -20 on. One plane.
Image<float> stopsOf(ImageView<const float> scene);

} // namespace yolk
