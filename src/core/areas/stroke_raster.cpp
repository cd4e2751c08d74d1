#include "areas/stroke_raster.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr float kFull = 65535.0f;
constexpr double kSoftest = 1.5;    // raster pixels: no rim is harder, so that it shows no steps
constexpr double kCore = 1.0 / 3.0; // of the radius

/// A point of a stroke in raster pixels, and the radius there.
struct Dab {
    double x, y, radius;
};

std::vector<Dab> dabsOf(const Stroke &stroke, double step)
{
    constexpr double kDense = 0.1; // of the radius: points that lie nearer say nothing more
    std::vector<Dab> out;
    std::vector<double> along{0.0};
    for (size_t i = 1; i < stroke.points.size(); ++i)
        along.push_back(along.back() + std::hypot(stroke.points[i].x - stroke.points[i - 1].x,
                                                  stroke.points[i].y - stroke.points[i - 1].y));
    std::vector<double> shares, pressures;
    for (const Point &p : stroke.pressure)
        if (shares.empty() || p.x > shares.back()) {
            shares.push_back(p.x);
            pressures.push_back(p.y);
        }
    const auto pressureAt = [&](double share) {
        if (shares.empty())
            return 1.0;
        const size_t next = size_t(std::ranges::lower_bound(shares, share) - shares.begin());
        if (next == 0 || next == shares.size())
            return next == 0 ? pressures.front() : pressures.back();
        return std::lerp(pressures[next - 1], pressures[next],
                         (share - shares[next - 1]) / (shares[next] - shares[next - 1]));
    };
    const double length = along.back(), radius = stroke.radius / step;
    for (size_t i = 0; i < stroke.points.size(); ++i) {
        const Dab dab{stroke.points[i].x / step, stroke.points[i].y / step,
                      std::max(0.5, radius * pressureAt(length > 0.0 ? along[i] / length : 0.0))};
        const bool isLast = i + 1 == stroke.points.size();
        if (out.empty() || isLast || std::hypot(dab.x - out.back().x, dab.y - out.back().y) >= kDense * radius)
            out.push_back(dab);
    }
    return out;
}

Rect boundsOf(const std::vector<Dab> &dabs)
{
    constexpr double kFar = 1e5;
    double x0 = kFar, y0 = kFar, x1 = -kFar, y1 = -kFar;
    for (const Dab &d : dabs) {
        x0 = std::min(x0, d.x - d.radius);
        y0 = std::min(y0, d.y - d.radius);
        x1 = std::max(x1, d.x + d.radius);
        y1 = std::max(y1, d.y + d.radius);
    }
    return {int(std::floor(std::max(x0, -kFar))) - 1, int(std::floor(std::max(y0, -kFar))) - 1,
            int(std::ceil(std::min(x1, kFar))) + 1, int(std::ceil(std::min(y1, kFar))) + 1};
}

float smoothStep(float t)
{
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

/// The largest value along the way from one dab to the next, at each pixel of `area`: the stroke, and its core.
void cover(const Dab &a, const Dab &b, double feather, const Rect &area, ImageView<float> mask, ImageView<float> core)
{
    const Rect own = boundsOf({a, b});
    const double dx = b.x - a.x, dy = b.y - a.y, square = dx * dx + dy * dy;
    for (int y = std::max(own.y0, area.y0); y < std::min(own.y1, area.y1); ++y) {
        float *to = mask.row(0, y - area.y0), *middle = core.row(0, y - area.y0);
        for (int x = std::max(own.x0, area.x0); x < std::min(own.x1, area.x1); ++x) {
            const double px = x + 0.5 - a.x, py = y + 0.5 - a.y;
            const double t = square > 0.0 ? std::clamp((px * dx + py * dy) / square, 0.0, 1.0) : 0.0;
            const double radius = std::lerp(a.radius, b.radius, t);
            const double away = std::hypot(px - t * dx, py - t * dy);
            const double rim = std::max(feather * radius, std::min(kSoftest, radius));
            const float value = smoothStep(float((radius - away) / rim));
            const float inner = smoothStep(float((kCore * radius - away) / std::max(0.25 * radius, 1.0) + 0.5));
            to[x - area.x0] = std::max(to[x - area.x0], value);
            middle[x - area.x0] = std::max(middle[x - area.x0], inner);
        }
    }
}

/// What a stroke leaves of a mask, both 0 to 1.
float met(float m, float s, const Stroke &stroke, bool buildsUp)
{
    if (buildsUp)
        return std::clamp(m + (stroke.erases ? -s : s) / float(kBuildUpSteps), 0.0f, 1.0f);
    return stroke.erases ? m * (1.0f - s) : m + s * (1.0f - m);
}

} // namespace

double rasterStep(int width, int height)
{
    constexpr double kMostAlong = 2048.0;
    return std::max(1.0, std::max(width, height) / kMostAlong);
}

StrokeRaster withStroke(const StrokeRaster &before, const Stroke &stroke, bool buildsUp)
{
    const std::vector<Dab> dabs = dabsOf(stroke, before.step);
    const Rect own = dabs.empty() ? Rect{} : boundsOf(dabs);
    StrokeRaster out;
    out.step = before.step;
    out.reach = std::max(before.reach, stroke.radius);
    out.area = before.area.empty() ? own
                                   : Rect{std::min(before.area.x0, own.x0), std::min(before.area.y0, own.y0),
                                          std::max(before.area.x1, own.x1), std::max(before.area.y1, own.y1)};
    const Shape shape{out.area.width(), out.area.height(), 1};
    out.mask = Image<uint16_t>(shape);
    out.core = Image<uint16_t>(shape);
    for (int y = before.area.y0; y < before.area.y1; ++y) {
        const int to = y - out.area.y0, left = before.area.x0 - out.area.x0, from = y - before.area.y0;
        std::copy_n(before.mask.row(0, from), before.area.width(), out.mask.row(0, to) + left);
        std::copy_n(before.core.row(0, from), before.area.width(), out.core.row(0, to) + left);
    }
    Image<float> mask(own.width(), own.height(), 1), core(own.width(), own.height(), 1);
    for (size_t i = 0; i < dabs.size(); ++i)
        if (i > 0 || dabs.size() == 1)
            cover(dabs[i > 0 ? i - 1 : 0], dabs[i], stroke.feather / 100.0, own, mask.view(), core.view());
    const float flow = float(stroke.flow / 100.0);
    for (int y = own.y0; y < own.y1; ++y) {
        uint16_t *to = out.mask.row(0, y - out.area.y0) + (own.x0 - out.area.x0),
                 *middle = out.core.row(0, y - out.area.y0) + (own.x0 - out.area.x0);
        const float *s = mask.row(0, y - own.y0), *c = core.row(0, y - own.y0);
        for (int x = 0; x < own.width(); ++x) {
            to[x] = uint16_t(met(float(to[x]) / kFull, flow * s[x], stroke, buildsUp) * kFull + 0.5f);
            const float was = float(middle[x]) / kFull;
            middle[x] = uint16_t((stroke.erases ? was * (1.0f - s[x]) : std::max(was, c[x])) * kFull + 0.5f);
        }
    }
    return out;
}

} // namespace yolk
