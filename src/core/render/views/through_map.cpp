#include "render/views/through_map.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr int kRound = 4; // pixels that the kernel reads beyond a place

/// How few pixels of the frame one of the picture takes anywhere in the area: there the view must not lack any.
double leastScale(const PictureMap &map, const RealRect &area)
{
    double out = map.scaleAt({0.5 * (area.x0 + area.x1), 0.5 * (area.y0 + area.y1)});
    for (const double x : {area.x0, area.x1})
        for (const double y : {area.y0, area.y1})
            if (const double scale = map.scaleAt({x, y}); scale > 0.0)
                out = std::min(out, scale);
    return out;
}

} // namespace

std::optional<ThroughMap> throughMap(const PictureMap &map, const Frame &reference, const RenderRequest &request,
                                     Corners corners)
{
    if (map.isIdentity())
        return std::nullopt;
    ThroughMap out;
    out.edgesGoOn = corners == Corners::Fill;
    const bool all = request.region == RealRect{};
    out.picture = all ? RealRect{0, 0, double(map.width()), double(map.height())} : request.region;
    const double across = out.picture.x1 - out.picture.x0, down = out.picture.y1 - out.picture.y0;
    if (!(across > 0.0) || !(down > 0.0))
        throw ArgumentError("the region to render is empty");
    const int r = request.reduction;
    out.width = request.width > 0 ? request.width : std::max(1, int(std::lround(across / r)));
    out.height = request.height > 0 ? request.height : std::max(1, int(std::lround(down / r)));
    out.frame = {0, 0, double(reference.width), double(reference.height)};
    // While a setting is dragged the same pixels of the frame are asked for again and again, and are kept: their size goes
    // by steps, and an area that is most of the frame is all of it.
    constexpr double kSteps = 8.0, kMost = 0.6; // of a doubling; of the frame's area
    const Point middle{0.5 * (out.picture.x0 + out.picture.x1), 0.5 * (out.picture.y0 + out.picture.y1)};
    const double scale = request.exact ? leastScale(map, out.picture) : map.scaleAt(middle);
    const double wanted = std::max(double(r), std::min(across / out.width, down / out.height) * scale);
    const double pitch = std::max(double(r), std::exp2(std::floor(kSteps * std::log2(wanted)) / kSteps));
    RealRect seen = map.referenceBounds(out.picture);
    const auto lower = [&](double v, double most) {
        return std::clamp(std::floor((v - kRound * pitch) / r) * r, 0.0, most);
    };
    const auto upper = [&](double v, double most) {
        return std::clamp(std::ceil((v + kRound * pitch) / r) * r, 0.0, most);
    };
    seen = {lower(seen.x0, out.frame.x1), lower(seen.y0, out.frame.y1), upper(seen.x1, out.frame.x1),
            upper(seen.y1, out.frame.y1)};
    const double share = (seen.x1 - seen.x0) * (seen.y1 - seen.y0) / (out.frame.x1 * out.frame.y1);
    if (share > kMost)
        seen = out.frame;
    if (!(seen.x1 > seen.x0) || !(seen.y1 > seen.y0)) // nothing of the frame is in view
        seen = {0, 0, std::min(out.frame.x1, double(r)), std::min(out.frame.y1, double(r))};
    out.flat = {r, seen, std::max(1, int(std::lround((seen.x1 - seen.x0) / pitch))),
                std::max(1, int(std::lround((seen.y1 - seen.y0) / pitch))), request.exact};
    return out;
}

Image<uint8_t> reachedIn(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx)
{
    const Corners corners = plan.recipe.geometry.corners;
    if (corners != Corners::Leave)
        return {};
    const auto through = throughMap(plan.map, plan.reference(), request, corners);
    return through ? through->reached(plan.map, ctx) : Image<uint8_t>();
}

} // namespace yolk
