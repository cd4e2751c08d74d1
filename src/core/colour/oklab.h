// Oklab, for what must keep its hue. Source: [Ottosson2020].
#pragma once

#include "colour/primaries.h"

#include <cmath>

namespace yolk {

struct Oklab {
    double L = 0, a = 0, b = 0;
};

/// Linear RGB of some space to Oklab and back, by way of Oklab's cone responses.
class OklabSpace {
public:
    explicit OklabSpace(const Primaries &primaries);
    Oklab fromRgb(const Vector3 &rgb) const;
    Vector3 toRgb(const Oklab &lab) const;
    /// RGB of the colour with as much of its chroma as the cube [0, 1]^3 holds (to 1/4096); 0 < L < 1.
    Vector3 withinCube(const Oklab &lab) const;
    const Matrix3 &toCones() const { return toCones_; } ///< from linear RGB
    const Matrix3 &fromCones() const { return fromCones_; }
    static const Matrix3 &conesToLab(); ///< from their cube roots
    /// What the cube roots of the cones weigh in L. Of grey they are all L.
    static Vector3 lightnessRow();

private:
    Matrix3 toCones_, fromCones_;
};

/// Of XYZ under D65, Y = 1 at white.
Oklab oklabOfXyz(const Vector3 &xyz);

inline double chromaOf(const Oklab &c)
{
    return std::hypot(c.a, c.b);
}

/// Brings linear RGB into the cube [0, 1]^3 of its own space: lightness clamped to that of black and white, Oklab hue
/// kept, chroma reduced just as far as needed (bisection to 1/4096 of the chroma). Colours inside come back unchanged.
Vector3 mapIntoGamut(const Vector3 &rgb, const OklabSpace &space);

} // namespace yolk
