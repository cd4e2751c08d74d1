// Oklab on whole rows, in floats and eight pixels at once.
#pragma once

#include "colour/oklab.h"

namespace yolk {

/// How far outside of [0, 1] single precision may put what lies inside.
inline constexpr float kFitRounding = 2e-6f;

/// Multiplies the Oklab chroma of linear RGB by `chroma` and brings what then lies outside of the cube [0, 1]^3 into
/// it: lightness clamped to that of black and white, hue kept, chroma reduced just as far as needed (bisection to
/// 1/1024 of it), as mapIntoGamut() does. Where `chroma` is 1, what lies inside already is only clamped.
/// In place; NaN becomes black. Source: [Ottosson2020].
void fitColours(float *r, float *g, float *b, int count, const OklabSpace &space, float chroma);

/// The same with a soft end: nothing but grey comes above `top`, which is below 1. From three quarters of the chroma on
/// that meets it, chroma grows ever slower; grey stays as it is, up to 1.
void fitColoursSoftly(float *r, float *g, float *b, int count, const OklabSpace &space, float chroma, float top);

/// Linear RGB of a space to Oklab and back, pixel by pixel; results may lie where the values came from. Within 1e-6 of
/// OklabSpace. NaN stays NaN.
void oklabOfRow(const float *const rgb[3], int count, const OklabSpace &space, float *const lab[3]);
void rgbOfRow(const float *const lab[3], int count, const OklabSpace &space, float *const rgb[3]);

} // namespace yolk
