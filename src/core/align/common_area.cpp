#include "align/common_area.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// How many points of a side lie outside some frame; a pixel's room is kept for what is interpolated.
int outsideOn(double x0, double y0, double x1, double y1, std::span<const Placed> frames)
{
    constexpr int kPoints = 33;
    constexpr double kRoom = 1.0;
    int out = 0;
    for (int i = 0; i < kPoints; ++i) {
        const double t = double(i) / (kPoints - 1);
        const bool outside = std::ranges::any_of(frames, [&](const Placed &f) {
            const Point p = f.toFrame({std::lerp(x0, x1, t), std::lerp(y0, y1, t)});
            return !(p.x >= kRoom && p.y >= kRoom && p.x <= f.width - kRoom && p.y <= f.height - kRoom);
        });
        out += outside;
    }
    return out;
}

} // namespace

Rect commonArea(int width, int height, std::span<const Placed> frames)
{
    if (width < 1 || height < 1)
        throw ArgumentError("there is no picture to crop");
    Rect r{0, 0, width, height};
    while (r.width() > 1 && r.height() > 1) {
        const double x0 = r.x0 + 0.5, y0 = r.y0 + 0.5, x1 = r.x1 - 0.5, y1 = r.y1 - 0.5;
        const std::array outside{outsideOn(x0, y0, x0, y1, frames), outsideOn(x1, y0, x1, y1, frames),
                                 outsideOn(x0, y0, x1, y0, frames), outsideOn(x0, y1, x1, y1, frames)};
        const auto worst = std::ranges::max_element(outside);
        if (*worst == 0)
            return r;
        int *const sides[] = {&r.x0, &r.x1, &r.y0, &r.y1};
        const ptrdiff_t side = worst - outside.begin();
        *sides[side] += side % 2 == 0 ? 1 : -1;
    }
    return {width / 2, height / 2, width / 2 + 1, height / 2 + 1};
}

} // namespace yolk
