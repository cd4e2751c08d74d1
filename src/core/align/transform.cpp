#include "align/transform.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace yolk {
namespace {

Transform normalised(Matrix3 m)
{
    const double last = m(2, 2);
    for (double &v : m.m)
        v /= last;
    return {m};
}

} // namespace

Transform Transform::after(const Transform &other) const
{
    return normalised(m * other.m);
}

Transform Transform::inverted() const
{
    return normalised(inverse(m));
}

Transform Transform::scaled(double factor) const
{
    const Matrix3 up{{factor, 0, 0, 0, factor, 0, 0, 0, 1}}, down{{1 / factor, 0, 0, 0, 1 / factor, 0, 0, 0, 1}};
    return normalised(up * m * down);
}

double largestDistance(const Transform &a, const Transform &b, double width, double height)
{
    double most = 0.0;
    for (const Point p : {Point{0, 0}, {width, 0}, {0, height}, {width, height}, {width / 2, height / 2}}) {
        const Point u = a(p), v = b(p);
        const double d = std::hypot(u.x - v.x, u.y - v.y);
        most = std::isfinite(d) ? std::max(most, d) : std::numeric_limits<double>::infinity();
    }
    return most;
}

Motion motionOf(const Transform &transform, double width, double height)
{
    const Point centre{width / 2, height / 2}, moved = transform(centre);
    const Point across = transform({centre.x + 1, centre.y}), along = transform({centre.x, centre.y + 1});
    // The derivative at the middle is nearest to the rotation and scale of these angles.
    const double a = across.x - moved.x + along.y - moved.y, b = across.y - moved.y - (along.x - moved.x);
    Motion out;
    out.right = moved.x - centre.x;
    out.down = moved.y - centre.y;
    out.clockwise = std::atan2(b, a) * 180.0 / std::numbers::pi;
    out.scale = std::hypot(a, b) / 2.0;
    out.corners = largestDistance(transform, {}, width, height);
    return out;
}

} // namespace yolk
