// Logarithm and power to base 2 for hot loops that must vectorise.
#pragma once

#include "base/vectorise.h"

#include <bit>
#include <cstdint>

namespace yolk {

/// Of a positive value, within 1e-6: 2 atanh((m - r) / (m + r)) for a mantissa m, r = sqrt(2).
YOLK_INLINE float quickLog2(float value)
{
    const int32_t bits = std::bit_cast<int32_t>(value);
    const float mantissa = std::bit_cast<float>((bits & 0x007fffff) | 0x3f800000);
    constexpr float kRoot = 1.41421356f, kTwoOverLn2 = 2.88539008f;
    const float s = (mantissa - kRoot) / (mantissa + kRoot), q = s * s;
    return float((bits >> 23) - 127) + 0.5f +
           kTwoOverLn2 * s * (1.0f + q * (1.0f / 3.0f + q * (1.0f / 5.0f + q * (1.0f / 7.0f))));
}

/// Of -120 to 120, within 4e-6 of the value: Taylor's series round the nearest whole power.
YOLK_INLINE float quickExp2(float power)
{
    constexpr float kLn2 = 0.69314718f, kRound = 12582912.0f; // 1.5 * 2^23: adding it leaves the nearest whole number
    const float shifted = power + kRound;
    const float whole = shifted - kRound, t = (power - whole) * kLn2;
    const int32_t exponent = (std::bit_cast<int32_t>(shifted) - std::bit_cast<int32_t>(kRound) + 127) << 23;
    return std::bit_cast<float>(exponent) *
           (1.0f + t * (1.0f + t * (0.5f + t * (1.0f / 6.0f + t * (1.0f / 24.0f + t * (1.0f / 120.0f))))));
}

} // namespace yolk
