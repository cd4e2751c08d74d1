// How far a radiance image lies from the truth for the eye, in decibels.
#pragma once

#include "colour/primaries.h"
#include "image/image.h"

namespace yolk::test {

/// Perceptually uniform units of a luminance in cd/m2, clamped to 0.005 .. 10000.
/// Source: Mantiuk and Azimi 2021, "PU21: A novel perceptually uniform encoding for adapting existing quality metrics
/// for HDR", variant banding_glare; the seven parameters from memory, checked by PU(100) = 256.38 and PU(10000) =
/// 595.39.
double pu21(double luminance);

/// Peak signal-to-noise ratio of the luminances in these units, peak PU(10000). The truth's 99.5th percentile stands at
/// 1000 cd/m2; `got` takes the scale that fits best, the median of the ratios' logarithms over what is within the
/// range.
/// Shapes: linear Rec. 709, three planes, both the same size. Throws ArgumentError.
double pu21Psnr(ImageView<const float> got, ImageView<const float> truth);

/// Linear RGB under a matrix: what renders give, in the Rec. 709 of the truth. Three planes.
Image<float> converted(const Image<float> &rgb, const Matrix3 &matrix);

} // namespace yolk::test
