// RGB spaces as matrices: from primaries and white point to XYZ, between spaces with Bradford adaptation.
#pragma once

#include <array>
#include <cstddef>

namespace yolk {

using Vector3 = std::array<double, 3>;

/// Row-major 3x3.
struct Matrix3 {
    std::array<double, 9> m{1, 0, 0, 0, 1, 0, 0, 0, 1};
    bool operator==(const Matrix3 &) const = default;
    double operator()(int row, int column) const { return m[std::size_t(3 * row + column)]; }
    Vector3 operator*(const Vector3 &v) const;
    Matrix3 operator*(const Matrix3 &b) const;
};
/// Throws ArgumentError when the determinant is 0.
Matrix3 inverse(const Matrix3 &a);

struct Chromaticity {
    double x = 0, y = 0;
    bool operator==(const Chromaticity &) const = default;
};

struct Primaries {
    Chromaticity red, green, blue, white;
    bool operator==(const Primaries &) const = default;
};

inline constexpr Chromaticity kD65{0.3127, 0.3290}, kD50{0.3457, 0.3585};                     // [CIE15]
inline constexpr Primaries kRec709{{0.640, 0.330}, {0.300, 0.600}, {0.150, 0.060}, kD65};     // [BT709]
inline constexpr Primaries kRec2020{{0.708, 0.292}, {0.170, 0.797}, {0.131, 0.046}, kD65};    // [BT2020]
inline constexpr Primaries kP3{{0.680, 0.320}, {0.265, 0.690}, {0.150, 0.060}, kD65};         // [RP431], white D65
inline constexpr Primaries kOpRgb{{0.640, 0.330}, {0.210, 0.710}, {0.150, 0.060}, kD65};      // [IEC61966-2-5]
inline constexpr Primaries kRomm{{0.7347, 0.2653}, {0.1596, 0.8404}, {0.0366, 0.0001}, kD50}; // [ISO22028-2]
inline constexpr Primaries kAp1{{0.713, 0.293}, {0.165, 0.830}, {0.128, 0.044}, {0.32168, 0.33767}}; // [S2014-004]

Vector3 xyzOf(Chromaticity c); ///< with Y = 1

/// Linear RGB to XYZ, white at Y = 1.
Matrix3 rgbToXyz(const Primaries &p);

/// XYZ under `from` to XYZ under `to`, linear Bradford. Source: [ICC1] annex E.
Matrix3 bradford(Chromaticity from, Chromaticity to);

/// Linear RGB of one space to linear RGB of another, white to white.
Matrix3 rgbToRgb(const Primaries &from, const Primaries &to);

/// Luminance of linear Rec. 2020 RGB.
inline constexpr std::array<float, 3> kLuminance2020{0.2627f, 0.6780f, 0.0593f}; // [BT2020]
/// How linear RGB makes luminance that `toRec2020` brings there.
Vector3 luminanceRow(const Matrix3 &toRec2020);

} // namespace yolk
