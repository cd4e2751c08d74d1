// Where a stroke lies, and light as mending compares it.
#pragma once

#include "base/point.h"
#include "base/quick_math.h"
#include "image/image.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {

inline constexpr double kRing = 1.0 / 3.0; // width of the ring, in radii

inline double between(const Point &a, const Point &b)
{
    const double dx = a.x - b.x, dy = a.y - b.y;
    return std::sqrt(dx * dx + dy * dy);
}

inline double toSegment(const Point &p, const Point &a, const Point &b)
{
    const double dx = b.x - a.x, dy = b.y - a.y, square = dx * dx + dy * dy;
    const double t = square > 0.0 ? std::clamp(((p.x - a.x) * dx + (p.y - a.y) * dy) / square, 0.0, 1.0) : 0.0;
    return between(p, {a.x + t * dx, a.y + t * dy});
}

inline double toLine(const Point &p, const std::vector<Point> &line)
{
    double out = between(p, line.front());
    for (size_t i = 1; i < line.size(); ++i)
        out = std::min(out, toSegment(p, line[i - 1], line[i]));
    return out;
}

/// Without points that are close to the one before: the line stays within a tenth of the radius.
inline std::vector<Point> simplified(const std::vector<Point> &points, double radius)
{
    std::vector<Point> out{points.front()};
    for (size_t i = 1; i < points.size(); ++i)
        if (i + 1 == points.size() || between(points[i], out.back()) > 0.3 * radius)
            out.push_back(points[i]);
    return out;
}

inline Rect boxOf(const std::vector<Point> &points, double reach)
{
    double x0 = points.front().x, x1 = x0, y0 = points.front().y, y1 = y0;
    for (const Point &p : points) {
        x0 = std::min(x0, p.x);
        x1 = std::max(x1, p.x);
        y0 = std::min(y0, p.y);
        y1 = std::max(y1, p.y);
    }
    return {int(std::floor(x0 - reach)), int(std::floor(y0 - reach)), int(std::ceil(x1 + reach)) + 1,
            int(std::ceil(y1 + reach)) + 1};
}

inline Rect within(const Rect &area, int width, int height)
{
    return {std::clamp(area.x0, 0, width), std::clamp(area.y0, 0, height), std::clamp(area.x1, 0, width),
            std::clamp(area.y1, 0, height)};
}

inline Rect shifted(const Rect &area, int x, int y)
{
    return {area.x0 + x, area.y0 + y, area.x1 + x, area.y1 + y};
}

/// Light for its logarithm: a hundredth of the mean of a piece, so that noise round black does not count.
inline float toeOf(const Image<float> &light)
{
    constexpr double kShare = 0.01, kLeast = 1e-7;
    double sum = 0.0;
    for (int y = 0; y < light.height(); ++y)
        for (int x = 0; x < light.width(); ++x)
            sum += std::max(0.0, double(light.row(1, y)[x]));
    return float(std::max(kLeast, kShare * sum / double(light.shape().pixels())));
}

inline float stopOf(float light, float toe)
{
    return quickLog2(std::max(light + toe, 0.1f * toe));
}

} // namespace yolk
