// How well a tone-mapped picture keeps the structure of its scene and how natural its brightness is.
#pragma once

#include "image/image.h"

namespace yolk::test {

struct ToneQuality {
    double quality = 0.0;     ///< TMQI: 0..1
    double structure = 0.0;   ///< S, structural fidelity
    double naturalness = 0.0; ///< N, statistical naturalness
};

/// TMQI of a display picture against its scene. Q = a S^alpha + (1 - a) N^beta.
/// Shapes: `scene` linear luminance, `coded` display luminance as code values 0..255, one plane each, of the same size,
/// at least 176 pixels each way (five scales of windows of 11). Throws ArgumentError.
/// Source: Yeganeh and Wang 2013, "Objective quality assessment of tone-mapped images", IEEE Transactions on Image
/// Processing 22(2); parameters from memory, so that only comparisons by the same implementation mean something.
ToneQuality toneQuality(ImageView<const float> scene, ImageView<const float> coded);

/// Code values 0..255 of a display-linear picture.
Image<float> codedPicture(ImageView<const float> displayLinear);

/// Luminance (Rec. 709) of linear RGB, and the same sum of a display picture's code values: one plane each.
Image<float> luminancePlane(ImageView<const float> rgb);
Image<float> codedPlane(ImageView<const float> displayLinear);

} // namespace yolk::test
