// How far apart two colours look.
#pragma once

#include "colour/primaries.h"

#include <cmath>
#include <numbers>

namespace yolk::test {

/// CIE 1976 L*a*b* under D65 of linear Rec. 2020, 1 = white.
inline Vector3 labOf(const Vector3 &rec2020)
{
    const Vector3 xyz = rgbToXyz(kRec2020) * rec2020, white = xyzOf(kD65);
    const auto f = [](double t) { // CIE 15
        return t > std::pow(6.0 / 29.0, 3) ? std::cbrt(t) : t / (3.0 * std::pow(6.0 / 29.0, 2)) + 4.0 / 29.0;
    };
    const double x = f(xyz[0] / white[0]), y = f(xyz[1] / white[1]), z = f(xyz[2] / white[2]);
    return {116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)};
}

/// CIEDE2000. Source: Sharma, Wu, Dalal 2005.
inline double ciede2000(const Vector3 &one, const Vector3 &two)
{
    constexpr double kDegree = 3.14159265358979323846 / 180.0;
    const double c1 = std::hypot(one[1], one[2]), c2 = std::hypot(two[1], two[2]), mean = (c1 + c2) / 2.0;
    const double g = 0.5 * (1.0 - std::sqrt(std::pow(mean, 7) / (std::pow(mean, 7) + std::pow(25.0, 7))));
    const double a1 = (1.0 + g) * one[1], a2 = (1.0 + g) * two[1];
    const double d1 = std::hypot(a1, one[2]), d2 = std::hypot(a2, two[2]);
    const auto hue = [&](double b, double a) {
        const double h = a == 0.0 && b == 0.0 ? 0.0 : std::atan2(b, a) / kDegree;
        return h < 0.0 ? h + 360.0 : h;
    };
    const double h1 = hue(one[2], a1), h2 = hue(two[2], a2);
    const double dl = two[0] - one[0], dc = d2 - d1;
    double dh = d1 * d2 == 0.0 ? 0.0 : h2 - h1;
    dh = dh > 180.0 ? dh - 360.0 : dh < -180.0 ? dh + 360.0 : dh;
    const double bigH = 2.0 * std::sqrt(d1 * d2) * std::sin(dh / 2.0 * kDegree);
    const double l = (one[0] + two[0]) / 2.0, c = (d1 + d2) / 2.0;
    double h = h1 + h2;
    if (d1 * d2 != 0.0)
        h = std::abs(h1 - h2) <= 180.0 ? h / 2.0 : h < 360.0 ? (h + 360.0) / 2.0 : (h - 360.0) / 2.0;
    const double t = 1.0 - 0.17 * std::cos((h - 30) * kDegree) + 0.24 * std::cos(2 * h * kDegree) +
                     0.32 * std::cos((3 * h + 6) * kDegree) - 0.20 * std::cos((4 * h - 63) * kDegree);
    const double sl = 1.0 + 0.015 * std::pow(l - 50, 2) / std::sqrt(20.0 + std::pow(l - 50, 2)), sc = 1.0 + 0.045 * c,
                 sh = 1.0 + 0.015 * c * t;
    const double turn = 30.0 * std::exp(-std::pow((h - 275.0) / 25.0, 2));
    const double rt =
        -2.0 * std::sqrt(std::pow(c, 7) / (std::pow(c, 7) + std::pow(25.0, 7))) * std::sin(2 * turn * kDegree);
    return std::sqrt(std::pow(dl / sl, 2) + std::pow(dc / sc, 2) + std::pow(bigH / sh, 2) + rt * dc / sc * bigH / sh);
}

} // namespace yolk::test
