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
    // In units of its shift: in pixels the numbers differ by so much that a far shift looks singular.
    const double unit = std::max({1.0, std::abs(m(0, 2)), std::abs(m(1, 2))});
    const Matrix3 up{{unit, 0, 0, 0, unit, 0, 0, 0, 1}}, down{{1 / unit, 0, 0, 0, 1 / unit, 0, 0, 0, 1}};
    return normalised(up * inverse(down * m * up) * down);
}

Transform Transform::scaled(double factor) const
{
    const Matrix3 up{{factor, 0, 0, 0, factor, 0, 0, 0, 1}}, down{{1 / factor, 0, 0, 0, 1 / factor, 0, 0, 0, 1}};
    return normalised(up * m * down);
}

bool isProper(const Transform &t, double width, double height)
{
    constexpr double kLeast = 0.01; // of the area of a picture that is left
    for (const Point p : {Point{0, 0}, {width, 0}, {0, height}, {width, height}, {width / 2, height / 2}}) {
        const double w = t.m(2, 0) * p.x + t.m(2, 1) * p.y + t.m(2, 2);
        const Point q = t(p);
        const double xx = t.m(0, 0) - q.x * t.m(2, 0), xy = t.m(0, 1) - q.x * t.m(2, 1);
        const double yx = t.m(1, 0) - q.y * t.m(2, 0), yy = t.m(1, 1) - q.y * t.m(2, 1);
        if (!(w > 0.0 && (xx * yy - xy * yx) / (w * w) > kLeast)) // the Jacobian
            return false;
    }
    return true;
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
