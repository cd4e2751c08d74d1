// How much of a scene's pattern of lighter and darker places a tone-mapped picture keeps.
#pragma once

#include "image/image.h"

namespace yolk::test {

/// FSITM: the share of the pixels whose local phase has the same sign in scene and display, 0..1; mean of the three
/// channels, 0.8 of it against log light and the rest against light itself. The sign of the locally weighted mean phase
/// angle is that of the even responses summed over scales (wavelengths of 8 and 64 pixels); ours are isotropic.
/// Shapes: `scene` linear RGB, `coded` code values of the display, three planes each, of the same size.
/// Throws ArgumentError. Source: Nafchi, Shahkolaei, Moghaddam and Cheriet 2015, "FSITM: a feature similarity index for
/// tone-mapped images", IEEE Signal Processing Letters 22(8); parameters from memory, so that only comparisons by the
/// same implementation mean something.
double featureSimilarity(ImageView<const float> scene, ImageView<const float> coded);

} // namespace yolk::test
