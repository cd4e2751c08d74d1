// What tells one thing from another by its light: how bright it is and which colour it has.
#pragma once

#include "image/image.h"

namespace yolk {

inline constexpr int kFeatures = 3;

/// Rows of scene light: linear Rec. 2020, and its EV.
struct LightRow {
    const float *r = nullptr, *g = nullptr, *b = nullptr, *ev = nullptr;
};

/// EV; R - G and B - G over luminance plus `dark`, so that colours of darkness count little.
void featureRow(const LightRow &light, int width, float dark, float *const features[kFeatures]);

} // namespace yolk
