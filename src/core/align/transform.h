// How one frame lies to another: a plane projective transform and the words for it.
#pragma once

#include "base/point.h"
#include "colour/primaries.h"

#include <array>

namespace yolk {

/// From the simplest on; each holds those before it.
enum class MotionModel { None, Shift, Rigid, Similarity, Homography };

/// Takes a point of the reference frame to where the same thing lies in another frame. Pixels of each frame, x right,
/// y down, pixel centres at +0.5.
struct Transform {
    Matrix3 m;
    bool operator==(const Transform &) const = default;

    Point operator()(Point p) const
    {
        const double w = m(2, 0) * p.x + m(2, 1) * p.y + m(2, 2);
        return {(m(0, 0) * p.x + m(0, 1) * p.y + m(0, 2)) / w, (m(1, 0) * p.x + m(1, 1) * p.y + m(1, 2)) / w};
    }
    bool isIdentity() const { return m == Matrix3{}; }
    /// First `other`, then this.
    Transform after(const Transform &other) const;
    /// Throws ArgumentError when it has none.
    Transform inverted() const;
    /// The same between pictures `factor` times as large.
    Transform scaled(double factor) const;
};

/// Whether a width x height picture stays one under it: neither mirrored nor folded, nor a hundredth of its size anywhere.
bool isProper(const Transform &transform, double width, double height);

/// Distance at the farther of the corners and the middle of a width x height picture that two transforms put a point
/// apart, in pixels; infinite where one sends a corner to infinity.
double largestDistance(const Transform &a, const Transform &b, double width, double height);

/// A transform in the words of a photographer: how the scene lies in the frame, against the reference.
struct Motion {
    double right = 0.0, down = 0.0; ///< of the middle of the picture, pixels
    double clockwise = 0.0;         ///< degrees
    double scale = 1.0;
    double corners = 0.0; ///< the largest distance that a corner moves, pixels
};
Motion motionOf(const Transform &transform, double width, double height);

} // namespace yolk
