#include "colour/oklab.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr Matrix3 kXyzToCones{{0.8189330101, 0.3618667424, -0.1288597137, //
                               0.0329845436, 0.9293118715, 0.0361456387,  //
                               0.0482003018, 0.2643662691, 0.6338517070}};
constexpr Matrix3 kConesToLab{{0.2104542553, 0.7936177850, -0.0040720468, //
                               1.9779984951, -2.4285922050, 0.4505937099, //
                               0.0259040371, 0.7827717662, -0.8086757660}};
const Matrix3 kLabToCones = inverse(kConesToLab);

Oklab labOfCones(const Vector3 &cones)
{
    const Vector3 lab = kConesToLab * Vector3{std::cbrt(cones[0]), std::cbrt(cones[1]), std::cbrt(cones[2])};
    return {lab[0], lab[1], lab[2]};
}

bool inside(const Vector3 &rgb, double slack)
{
    return std::ranges::all_of(rgb, [slack](double v) { return v >= -slack && v <= 1.0 + slack; });
}

} // namespace

OklabSpace::OklabSpace(const Primaries &primaries)
    : toCones_(kXyzToCones * bradford(primaries.white, kD65) * rgbToXyz(primaries)), fromCones_(inverse(toCones_))
{
}

Oklab OklabSpace::fromRgb(const Vector3 &rgb) const
{
    return labOfCones(toCones_ * rgb);
}

Vector3 OklabSpace::toRgb(const Oklab &lab) const
{
    Vector3 cones = kLabToCones * Vector3{lab.L, lab.a, lab.b};
    for (double &c : cones)
        c = c * c * c;
    return fromCones_ * cones;
}

Oklab oklabOfXyz(const Vector3 &xyz)
{
    return labOfCones(kXyzToCones * xyz);
}

Vector3 mapIntoGamut(const Vector3 &rgb, const OklabSpace &space)
{
    if (inside(rgb, 0.0))
        return rgb;
    const Oklab lab = space.fromRgb(rgb);
    if (!(lab.L > 0.0)) // NaN ends here too
        return {0, 0, 0};
    if (lab.L >= 1.0)
        return {1, 1, 1};
    double low = 0.0, high = 1.0;   // grey is inside, the colour itself is not
    constexpr double kSlack = 1e-4; // rounding of the published matrices: grey itself misses the cube by some 1e-5
    for (int i = 0; i < 12; ++i) {
        const double middle = (low + high) / 2;
        (inside(space.toRgb({lab.L, lab.a * middle, lab.b * middle}), kSlack) ? low : high) = middle;
    }
    Vector3 out = space.toRgb({lab.L, lab.a * low, lab.b * low});
    for (double &v : out)
        v = std::clamp(v, 0.0, 1.0);
    return out;
}

} // namespace yolk
