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

bool inside(const Vector3 &rgb)
{
    return std::ranges::all_of(rgb, [](double v) { return v >= 0.0 && v <= 1.0; });
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

const Matrix3 &OklabSpace::conesToLab()
{
    return kConesToLab;
}

Vector3 OklabSpace::lightnessRow()
{
    return {kConesToLab.m[0], kConesToLab.m[1], kConesToLab.m[2]};
}

Oklab oklabOfXyz(const Vector3 &xyz)
{
    return labOfCones(kXyzToCones * xyz);
}

Vector3 mapIntoGamut(const Vector3 &rgb, const OklabSpace &space)
{
    if (inside(rgb))
        return rgb;
    const Oklab lab = space.fromRgb(rgb);
    if (!(lab.L > 0.0)) // NaN ends here too
        return {0, 0, 0};
    if (lab.L >= 1.0)
        return {1, 1, 1};
    return space.withinCube(lab);
}

Vector3 OklabSpace::withinCube(const Oklab &lab) const
{
    // On the line from grey (t = 0) to the colour (t = 1) the cube roots of the cones are linear in t, so that each of
    // R, G and B is a cubic in t: its coefficients once, then only those are looked at.
    const Vector3 along = kLabToCones * Vector3{0, lab.a, lab.b};
    const double g = lab.L; // grey has three equal roots
    std::array<std::array<double, 4>, 3> cubic{};
    for (size_t k = 0; k < 3; ++k) {
        const double d = along[k];
        const std::array<double, 4> powers{g * g * g, 3 * g * g * d, 3 * g * d * d, d * d * d};
        for (size_t c = 0; c < 3; ++c)
            for (size_t p = 0; p < 4; ++p)
                cubic[c][p] += fromCones_.m[3 * c + k] * powers[p];
    }
    const auto at = [&](size_t c, double t) {
        const auto &q = cubic[c];
        return q[0] + t * (q[1] + t * (q[2] + t * q[3]));
    };
    double low = 0.0, high = 1.0;   // grey is inside, the colour itself is not
    constexpr double kSlack = 1e-4; // rounding of the published matrices: grey itself misses the cube by some 1e-5
    for (int i = 0; i < 12; ++i) {
        const double middle = (low + high) / 2;
        bool in = true;
        for (size_t c = 0; c < 3; ++c) {
            const double v = at(c, middle);
            in = in && v >= -kSlack && v <= 1.0 + kSlack;
        }
        (in ? low : high) = middle;
    }
    return {std::clamp(at(0, low), 0.0, 1.0), std::clamp(at(1, low), 0.0, 1.0), std::clamp(at(2, low), 0.0, 1.0)};
}

} // namespace yolk
