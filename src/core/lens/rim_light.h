// Light that a lens took from the rim of the frame, given back.
#pragma once

#include "lens/radial_curve.h"

#include <array>

namespace yolk {

/// Factors by place, from EV by radius.
class RimLight {
public:
    /// Of a frame of this size; what lacks `ev` there is multiplied by 2^ev.
    RimLight(const RadialCurve &ev, double width, double height);
    bool isNone() const { return none_; }
    /// Of `count` places of a row, in shares of the sides: the first one, and the way to the next.
    void apply(float *const rgb[3], int count, double x, double step, double y) const;
    float at(double x, double y) const;

private:
    static constexpr int kSteps = 512; // of the squared radius: chords lie within 1e-5 of the curve
    std::array<float, kSteps + 2> gains_{};
    double across_, down_; // shares of sides from the middle, in steps, squared
    bool none_;
};

} // namespace yolk
