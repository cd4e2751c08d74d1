#include "colour/white_point.h"

#include "base/errors.h"
#include "base/text.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

struct Uv {
    double u, v;
};

/// [Krystek1985] equations for u and v (from memory).
Uv planckian(double t)
{
    return {
        (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1.0 + 8.42420235e-4 * t + 7.08145163e-7 * t * t),
        (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1.0 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)};
}

/// Unit vector across the locus, towards green.
Uv normalAt(double t)
{
    const double step = 1e-4 * t;
    const Uv a = planckian(t - step), b = planckian(t + step);
    const double du = b.u - a.u, dv = b.v - a.v, length = std::hypot(du, dv);
    return {dv / length, -du / length}; // u falls along the locus, so that this points up
}

} // namespace

Chromaticity chromaticityOf(const WhitePoint &white)
{
    if (!(white.temperature >= kWarmestWhite && white.temperature <= kCoolestWhite))
        throw ArgumentError("white of " + shortestText(white.temperature) + " K: must lie in " +
                            shortestText(kWarmestWhite) + " to " + shortestText(kCoolestWhite));
    const Uv on = planckian(white.temperature), across = normalAt(white.temperature);
    const double u = on.u + 1e-3 * white.tint * across.u, v = on.v + 1e-3 * white.tint * across.v;
    const double d = 2.0 * u - 8.0 * v + 4.0; // [CIE15]: CIE 1960 to x, y
    return {3.0 * u / d, 2.0 * v / d};
}

WhitePoint whitePointOf(Chromaticity c)
{
    const double d = -2.0 * c.x + 12.0 * c.y + 3.0;
    const Uv at{4.0 * c.x / d, 6.0 * c.y / d};
    // The foot of the perpendicular: nearest of a coarse walk in reciprocal temperature, then bisected between its
    // neighbours on the sign of the distance along the locus.
    const auto away = [&](double mired) {
        const Uv p = planckian(1e6 / mired);
        return std::hypot(at.u - p.u, at.v - p.v);
    };
    const double first = 1e6 / kCoolestWhite, last = 1e6 / kWarmestWhite;
    constexpr int kSteps = 200;
    double best = first;
    for (int i = 0; i <= kSteps; ++i) {
        const double m = first + (last - first) * i / kSteps;
        if (away(m) < away(best))
            best = m;
    }
    const auto along = [&](double mired) { // falls through 0 at the foot
        const Uv p = planckian(1e6 / mired), across = normalAt(1e6 / mired);
        return (at.u - p.u) * across.v - (at.v - p.v) * across.u; // towards warmer, larger mired
    };
    double low = std::max(first, best - (last - first) / kSteps), high = std::min(last, best + (last - first) / kSteps);
    for (int i = 0; i < 60; ++i) {
        const double middle = 0.5 * (low + high);
        (along(middle) > 0.0 ? low : high) = middle;
    }
    const double t = std::clamp(1e6 / (0.5 * (low + high)), kWarmestWhite, kCoolestWhite);
    const Uv p = planckian(t), across = normalAt(t);
    const double tint = 1e3 * ((at.u - p.u) * across.u + (at.v - p.v) * across.v);
    return {t, std::clamp(tint, -kLargestTint, kLargestTint)};
}

} // namespace yolk
