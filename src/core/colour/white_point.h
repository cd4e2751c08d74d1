// Colours of light by temperature and tint.
#pragma once

#include "colour/primaries.h"

namespace yolk {

/// Correlated colour temperature in kelvin, and how far the light is from white light of that temperature across the
/// Planckian locus in CIE 1960 (u, v), in thousandths: above it, towards green, it is positive. White light is Planckian
/// up to 4000 K and daylight from 5000 K on, with a smooth step between. Both together name one chromaticity.
struct WhitePoint {
    double temperature = 6504.0, tint = 0.0; ///< of D65
    bool operator==(const WhitePoint &) const = default;
};

inline constexpr double kCoolestWhite = 25000.0, kWarmestWhite = 1500.0; ///< kelvin
inline constexpr double kLargestTint = 60.0;

/// Planckian locus by rational functions of temperature, its normal by difference; daylight by [CIE15].
/// Throws ArgumentError unless kWarmestWhite <= temperature <= kCoolestWhite.
/// Source: [Krystek1985]: from 1000 to 15 000 K within 5e-5 of the locus in u and v.
Chromaticity chromaticityOf(const WhitePoint &white);

/// Of a tint that was measured from the Planckian locus at every temperature, as recipes of version 1 have it.
WhitePoint fromPlanckian(const WhitePoint &white);

/// The inverse. What lies beyond the range of either number gives its end.
WhitePoint whitePointOf(Chromaticity c);

} // namespace yolk
