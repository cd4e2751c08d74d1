#include "base/point.h"

namespace yolk {

PointList::PointList(std::vector<Point> points)
{
    if (points.empty())
        return;
    Hasher hasher;
    hasher.value(points.size());
    for (const Point &p : points)
        hasher.value(p.x).value(p.y);
    const Hash128 hash = hasher.finish();
    shared_ = std::make_shared<const Shared>(Shared{std::move(points), hash});
}

} // namespace yolk
