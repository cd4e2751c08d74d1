#include "geometry/crop_shape.h"

#include <algorithm>

namespace yolk {

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

} // namespace yolk
