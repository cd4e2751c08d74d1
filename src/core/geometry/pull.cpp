#include "geometry/pull.h"

#include <algorithm>
#include <cmath>

namespace yolk {

GeometrySettings pulled(const GeometrySettings &settings, Point place, Point to, int width, int height,
                        const Optics &optics)
{
    constexpr double kStep = 1e-3, kMost = 45.0, kFar = 4.0; // degrees: of the slope, at the ends, of one round
    constexpr double kStill = 0.0003;                        // long sides a degree: it moves no more than this
    GeometrySettings start = settings;
    start.tilt *= settings.strength / 100.0;
    start.swing *= settings.strength / 100.0;
    start.strength = 100.0;
    const auto solved = [&](double GeometrySettings::*by, double Point::*way, double wanted) {
        GeometrySettings at = start;
        const auto offAt = [&](double degrees) {
            at.*by = degrees;
            return PictureMap(at, width, height, optics).toPicture(place).*way - wanted;
        };
        double degrees = start.*by;
        for (int i = 0; i < 24; ++i) { // Newton's method
            const double off = offAt(degrees), slope = (offAt(degrees + kStep) - off) / kStep;
            if (!std::isfinite(slope) || std::abs(slope) < kStill * std::max(width, height))
                return i == 0 ? start.*by : degrees;
            const double step = std::clamp(-off / slope, -kFar, kFar);
            degrees = std::clamp(degrees + step, -kMost, kMost);
            if (std::abs(step) < 1e-7)
                break;
        }
        return degrees;
    };
    GeometrySettings out = start;
    out.tilt = solved(&GeometrySettings::tilt, &Point::x, to.x);
    out.swing = solved(&GeometrySettings::swing, &Point::y, to.y);
    return out;
}

} // namespace yolk
