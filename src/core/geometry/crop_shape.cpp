#include "geometry/crop_shape.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kLeast = 16.0; // pixels of a side

RealRect between(const RealRect &a, const RealRect &b, double t)
{
    const auto mix = [t](double from, double to) { return from + t * (to - from); };
    return {mix(a.x0, b.x0), mix(a.y0, b.y0), mix(a.x1, b.x1), mix(a.y1, b.y1)};
}

RealRect moved(RealRect area, CropGrip grip, Point by, double width, double height)
{
    if (grip == CropGrip{}) {
        const double x = std::clamp(by.x, -area.x0, width - area.x1), y = std::clamp(by.y, -area.y0, height - area.y1);
        return {area.x0 + x, area.y0 + y, area.x1 + x, area.y1 + y};
    }
    if (grip.across < 0)
        area.x0 = std::clamp(area.x0 + by.x, 0.0, std::max(0.0, area.x1 - kLeast));
    if (grip.across > 0)
        area.x1 = std::clamp(area.x1 + by.x, std::min(width, area.x0 + kLeast), width);
    if (grip.down < 0)
        area.y0 = std::clamp(area.y0 + by.y, 0.0, std::max(0.0, area.y1 - kLeast));
    if (grip.down > 0)
        area.y1 = std::clamp(area.y1 + by.y, std::min(height, area.y0 + kLeast), height);
    return area;
}

/// The area of that shape that a dragged one asks for: a corner's larger side decides, a side brings the others along on
/// both sides. It stays in the plane.
RealRect shaped(const RealRect &from, const RealRect &to, CropGrip grip, double shape, double width, double height)
{
    double w = to.x1 - to.x0, h = to.y1 - to.y0;
    if (grip.across == 0)
        w = h * shape;
    else if (grip.down == 0)
        h = w / shape;
    else if (w > h * shape)
        h = w / shape;
    else
        w = h * shape;
    // How much room there is from the side, or the middle, that stays.
    const auto room = [](int side, double low, double high, double size) {
        return side < 0 ? high : side > 0 ? size - low : std::min(low + high, 2.0 * size - low - high);
    };
    const double fits =
        std::min({1.0, room(grip.across, from.x0, from.x1, width) / w, room(grip.down, from.y0, from.y1, height) / h});
    w *= fits;
    h *= fits;
    const auto placed = [](int side, double low, double high, double size) {
        const double start = side < 0 ? high - size : side > 0 ? low : 0.5 * (low + high) - 0.5 * size;
        return std::pair(start, start + size);
    };
    const auto [x0, x1] = placed(grip.across, from.x0, from.x1, w);
    const auto [y0, y1] = placed(grip.down, from.y0, from.y1, h);
    return {x0, y0, x1, y1};
}

} // namespace

std::optional<double> shapeOf(const GeometrySettings &s, int planeWidth, int planeHeight)
{
    double shape = 1.0;
    switch (s.shape) {
    case CropShape::Free:
        return std::nullopt;
    case CropShape::Own:
        return s.ownShape;
    case CropShape::Square:
        return 1.0;
    case CropShape::AsShot:
        shape = double(std::max(planeWidth, planeHeight)) / std::min(planeWidth, planeHeight);
        break;
    case CropShape::FiveFour:
        shape = 5.0 / 4.0;
        break;
    case CropShape::ThreeTwo:
        shape = 3.0 / 2.0;
        break;
    case CropShape::SixteenNine:
        shape = 16.0 / 9.0;
        break;
    }
    const bool upright = (s.bottom - s.top) * planeHeight > (s.right - s.left) * planeWidth;
    return upright ? 1.0 / shape : shape;
}

GeometrySettings croppedTo(const GeometrySettings &settings, double widthOverHeight, int planeWidth, int planeHeight)
{
    const double width = std::min(1.0, widthOverHeight * planeHeight / planeWidth);
    const double height = std::min(1.0, planeWidth / widthOverHeight / planeHeight);
    const auto placed = [](double low, double high, double size) {
        return std::clamp(0.5 * (low + high) - 0.5 * size, 0.0, 1.0 - size);
    };
    GeometrySettings out = settings;
    out.left = placed(settings.left, settings.right, width);
    out.top = placed(settings.top, settings.bottom, height);
    out.right = out.left + width;
    out.bottom = out.top + height;
    return out;
}

GeometrySettings uncropped(const GeometrySettings &settings)
{
    GeometrySettings out = settings;
    out.left = out.top = 0.0;
    out.right = out.bottom = 1.0;
    return out;
}

GeometrySettings cropDragged(const GeometrySettings &settings, const RealRect &from, CropGrip grip, Point by,
                             const PictureMap &map, const RealRect &frame)
{
    const double width = map.width(), height = map.height();
    by = {std::round(by.x), std::round(by.y)}; // whole pixels, so that what is only moved stays as large
    const auto held = [&](const RealRect &area) {
        return settings.corners != Corners::Cut || map.isCovered(area, frame);
    };
    const auto asFarAsHeld = [&](const RealRect &start, const RealRect &end) {
        if (held(end))
            return end;
        double low = 0.0, high = 1.0;
        for (int i = 0; i < 30; ++i) {
            const double t = 0.5 * (low + high);
            (held(between(start, end, t)) ? low : high) = t;
        }
        return between(start, end, low);
    };
    RealRect area = from;
    const std::optional<double> shape = shapeOf(settings, map.width(), map.height());
    if (shape && grip != CropGrip{}) {
        area = asFarAsHeld(from, shaped(from, moved(from, grip, by, width, height), grip, *shape, width, height));
    } else { // along an edge that holds it one way, it still goes the other
        area = asFarAsHeld(area, moved(area, grip, {by.x, 0.0}, width, height));
        area = asFarAsHeld(area, moved(area, grip, {0.0, by.y}, width, height));
    }
    GeometrySettings out = settings;
    out.left = std::clamp(area.x0 / width, 0.0, 1.0);
    out.right = std::clamp(area.x1 / width, 0.0, 1.0);
    out.top = std::clamp(area.y0 / height, 0.0, 1.0);
    out.bottom = std::clamp(area.y1 / height, 0.0, 1.0);
    return out;
}

} // namespace yolk
