#include "colour/primaries.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>

namespace yolk {

Vector3 Matrix3::operator*(const Vector3 &v) const
{
    return {m[0] * v[0] + m[1] * v[1] + m[2] * v[2], m[3] * v[0] + m[4] * v[1] + m[5] * v[2],
            m[6] * v[0] + m[7] * v[1] + m[8] * v[2]};
}

Matrix3 Matrix3::operator*(const Matrix3 &b) const
{
    Matrix3 out;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c)
            out.m[size_t(3 * r + c)] = (*this)(r, 0) * b(0, c) + (*this)(r, 1) * b(1, c) + (*this)(r, 2) * b(2, c);
    return out;
}

Matrix3 inverse(const Matrix3 &a)
{
    const auto &m = a.m;
    const double c0 = m[4] * m[8] - m[5] * m[7], c1 = m[5] * m[6] - m[3] * m[8], c2 = m[3] * m[7] - m[4] * m[6];
    const double det = m[0] * c0 + m[1] * c1 + m[2] * c2;
    const double size = std::abs(*std::ranges::max_element(m, {}, [](double v) { return std::abs(v); }));
    if (!(std::abs(det) > 1e-9 * size * size * size)) // what is left would be rounding
        throw ArgumentError("matrix has no inverse");
    return {{c0 / det, (m[2] * m[7] - m[1] * m[8]) / det, (m[1] * m[5] - m[2] * m[4]) / det, //
             c1 / det, (m[0] * m[8] - m[2] * m[6]) / det, (m[2] * m[3] - m[0] * m[5]) / det, //
             c2 / det, (m[1] * m[6] - m[0] * m[7]) / det, (m[0] * m[4] - m[1] * m[3]) / det}};
}

Vector3 xyzOf(Chromaticity c)
{
    return {c.x / c.y, 1.0, (1.0 - c.x - c.y) / c.y};
}

Matrix3 rgbToXyz(const Primaries &p)
{
    const Vector3 r = xyzOf(p.red), g = xyzOf(p.green), b = xyzOf(p.blue);
    const Matrix3 columns{{r[0], g[0], b[0], r[1], g[1], b[1], r[2], g[2], b[2]}};
    const Vector3 s = inverse(columns) * xyzOf(p.white); // so that RGB (1, 1, 1) is the white point
    return columns * Matrix3{{s[0], 0, 0, 0, s[1], 0, 0, 0, s[2]}};
}

Matrix3 bradford(Chromaticity from, Chromaticity to)
{
    constexpr Matrix3 kCone{{0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296}};
    const Vector3 a = kCone * xyzOf(from), b = kCone * xyzOf(to);
    return inverse(kCone) * Matrix3{{b[0] / a[0], 0, 0, 0, b[1] / a[1], 0, 0, 0, b[2] / a[2]}} * kCone;
}

Matrix3 rgbToRgb(const Primaries &from, const Primaries &to)
{
    if (from == to)
        return {};
    return inverse(rgbToXyz(to)) * bradford(from.white, to.white) * rgbToXyz(from);
}

Vector3 luminanceRow(const Matrix3 &toRec2020)
{
    Vector3 out{};
    for (size_t i = 0; i < 9; ++i)
        out[i % 3] += double(kLuminance2020[i / 3]) * toRec2020.m[i];
    return out;
}

} // namespace yolk
