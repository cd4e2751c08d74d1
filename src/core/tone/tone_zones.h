// Where the five zones lie and how far they move, in display lightness.
#pragma once

#include <array>

namespace yolk {

inline constexpr std::array<double, 5> kZoneLightness{10, 30, 50, 70, 90}; ///< dark to bright
/// Full travel: almost to its neighbour, and to 1 or 99 at the ends.
inline constexpr std::array<double, 5> kZoneDown{9, 18, 18, 18, 18}, kZoneUp{18, 18, 18, 18, 9};
inline constexpr double kZoneApart = 0.5; ///< of neighbours, at least, whatever is asked of both

} // namespace yolk
