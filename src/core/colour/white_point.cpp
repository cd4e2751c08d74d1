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

Uv uvOf(Chromaticity c)
{
    const double d = -2.0 * c.x + 12.0 * c.y + 3.0; // [CIE15]: x, y to CIE 1960
    return {4.0 * c.x / d, 6.0 * c.y / d};
}

/// [CIE15], daylight of 4000 to 25 000 K.
Uv daylight(double t)
{
    const double x = t <= 7000.0 ? -4.6070e9 / (t * t * t) + 2.9678e6 / (t * t) + 0.09911e3 / t + 0.244063
                                 : -2.0064e9 / (t * t * t) + 1.9018e6 / (t * t) + 0.24748e3 / t + 0.237040;
    return uvOf({x, -3.0 * x * x + 2.870 * x - 0.275});
}

Chromaticity chromaticityOf(Uv at)
{
    const double d = 2.0 * at.u - 8.0 * at.v + 4.0;
    return {3.0 * at.u / d, 2.0 * at.v / d};
}

/// Unit vector across the Planckian locus, towards green.
Uv normalAt(double t)
{
    const double step = 1e-4 * t;
    const Uv a = planckian(t - step), b = planckian(t + step);
    const double du = b.u - a.u, dv = b.v - a.v, length = std::hypot(du, dv);
    return {dv / length, -du / length}; // u falls along the locus, so that this points up
}

/// How far white light of this temperature lies from the Planckian locus, in thousandths: none up to 4000 K, as far as
/// daylight from 5000 K on, and a smooth step from one to the other.
double offsetAt(double t)
{
    constexpr double kGlow = 4000.0, kDay = 5000.0;
    const double at = std::clamp((t - kGlow) / (kDay - kGlow), 0.0, 1.0), share = at * at * (3.0 - 2.0 * at);
    if (share <= 0.0)
        return 0.0;
    const Uv day = daylight(t), glow = planckian(t), across = normalAt(t);
    return share * 1e3 * ((day.u - glow.u) * across.u + (day.v - glow.v) * across.v);
}

} // namespace

Chromaticity chromaticityOf(const WhitePoint &white)
{
    if (!(white.temperature >= kWarmestWhite && white.temperature <= kCoolestWhite))
        throw ArgumentError("white of " + shortestText(white.temperature) + " K: must lie in " +
                            shortestText(kWarmestWhite) + " to " + shortestText(kCoolestWhite));
    const Uv on = planckian(white.temperature), across = normalAt(white.temperature);
    const double away = 1e-3 * (white.tint + offsetAt(white.temperature));
    return chromaticityOf(Uv{on.u + away * across.u, on.v + away * across.v});
}

WhitePoint fromPlanckian(const WhitePoint &white)
{
    return {white.temperature, std::clamp(white.tint - offsetAt(white.temperature), -kLargestTint, kLargestTint)};
}

WhitePoint whitePointOf(Chromaticity c)
{
    const Uv at = uvOf(c);
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
    const double tint = 1e3 * ((at.u - p.u) * across.u + (at.v - p.v) * across.v) - offsetAt(t);
    return {t, std::clamp(tint, -kLargestTint, kLargestTint)};
}

} // namespace yolk
