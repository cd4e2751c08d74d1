// Pictures split into bands of size, and what stands out of the noise in each.
#pragma once

#include <array>
#include <functional>

namespace yolk {

inline constexpr int kBands = 4;
/// Pixels beyond which nothing is felt.
inline constexpr int kBandReach = 2 * ((1 << kBands) - 1);
/// The same where the noise of each pixel is given: neighbours of the coarsest band are read as well.
inline constexpr int kBandReachKnown = kBandReach + (1 << (kBands - 1));
/// Deviation of unit white noise in each band [StarckMurtagh1998].
inline constexpr std::array<double, kBands> kBandNoise{0.889, 0.200, 0.086, 0.041};

/// Brightness and two differences, orthonormal, so that unit noise stays unit noise; the inverse is the transpose.
inline constexpr float kMix[3][3] = {{0.57735027f, 0.57735027f, 0.57735027f},
                                     {0.70710678f, 0.0f, -0.70710678f},
                                     {0.40824829f, -0.81649658f, 0.40824829f}};

template <class T> using ThreeRows = std::array<T *, 3>;
using BandThresholds = std::array<std::array<float, kBands>, 3>;

/// How the bands of three planes shrink.
struct BandShrinkage {
    BandThresholds thresholds{};
    /// If set: what the squares of a row's thresholds are multiplied by, pixel by pixel, of plane `m`.
    std::function<const float *(int m, int y)> noise{};
    int spread = 1; ///< pixels that the finest band is wide
    /// If set: looks at each band before.
    std::function<void(int m, int band, int y, const float *fine, const float *rest)> see{};
};

/// Undecimated wavelets by a cubic spline: each coefficient d is shrunk by 1 - (t / d)^2, to nothing below t. Where the
/// noise of each pixel is given, d^2 is the mean of its square and those of the eight neighbours as far away as the band is
/// wide: what stands together is kept. The bands add up to the plane with its smooth rest. Rows are given and taken from
/// the top down; edges are mirrored.
/// Source: [StarckMurtagh1998], the shrinkage of James and Stein; [ChenBuiKrzyzak2005] for the neighbours.
void throughBands(int width, int height, const BandShrinkage &shrinkage,
                  const std::function<void(int y, const ThreeRows<float> &rows)> &give,
                  const std::function<void(int y, const ThreeRows<const float> &rows)> &take);

} // namespace yolk
