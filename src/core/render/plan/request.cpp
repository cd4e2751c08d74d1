#include "render/plan/request.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>

namespace yolk {

RealRect regionOf(const RenderRequest &request, const Frame &reference)
{
    const RealRect region = request.region == RealRect{}
                                ? RealRect{0, 0, double(reference.width), double(reference.height)}
                                : request.region;
    if (!(region.x1 > region.x0) || !(region.y1 > region.y0))
        throw ArgumentError("the region to render is empty");
    return region;
}

PlacedView placedView(const RenderRequest &request, const RealRect &region)
{
    const double r = request.reduction;
    const RealRect in{region.x0 / r, region.y0 / r, region.x1 / r, region.y1 / r};
    const auto sizeOf = [](int asked, double pixels) {
        return asked > 0 ? asked : std::max(1, int(std::lround(pixels)));
    };
    return {in, sizeOf(request.width, in.x1 - in.x0), sizeOf(request.height, in.y1 - in.y0)};
}

RenderRequest measuringRequest(const Sources &sources, const Frame &reference)
{
    const double scale = std::min(1.0, std::sqrt(1.5e5 / (double(reference.width) * reference.height)));
    return {previewReduction(sources),
            {},
            std::max(1, int(std::lround(reference.width * scale))),
            std::max(1, int(std::lround(reference.height * scale)))};
}

} // namespace yolk
