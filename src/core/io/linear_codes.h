// How linear light is kept in 16 bits before the merge: with a pedestal, so that noise below black survives.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace yolk {

/// value = (code - kPedestal) / kCodeScale; 0 is black, 1 is clipping.
inline constexpr int kPedestal = 1024;
inline constexpr float kCodeScale = 65535.0f - 1024.0f;
inline float linearOfCode(uint16_t code)
{
    return (float(code) - float(kPedestal)) * (1.0f / kCodeScale);
}
/// Nearest code; values beyond what codes can say become the ends. NaN becomes the lowest.
inline uint16_t codeOfLinear(double linear)
{
    const double code = linear * double(kCodeScale) + kPedestal;
    return uint16_t(std::lround(code > 0.0 ? std::min(code, 65535.0) : 0.0));
}

} // namespace yolk
