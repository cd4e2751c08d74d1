#include "render/views/picture.h"

#include "render/views/developed_rows.h"
#include "render/views/returned.h"
#include "render/views/through_map.h"

namespace yolk {
namespace {

/// Of the reference frame's plane.
Image<float> flatPicture(const RenderPlan &plan, const OutputLight &output, const RenderRequest &request,
                         ExecContext &ctx)
{
    const PlacedView part = placedView(request, regionOf(request, plan.reference()));
    const bool isView = double(part.width) * part.height <= kViewPixels;
    if (!request.exact && (isView || part.averages())) {
        ExecContext finding = ctx.part(0.0, 0.3), viewing = ctx.part(0.3, 1.0);
        return Developer(plan, output, finding).view(request, viewing);
    }
    ExecContext merging = ctx.part(0.0, 0.8), finding = ctx.part(0.8, 0.82), mapping = ctx.part(0.82, 1.0);
    const MergedPtr set = mergedOf(plan, request.reduction, merging);
    const Developer developer(plan, output, finding);
    const SceneRows scene(*set, plan.white, lampWhiteOf(plan, finding), plan.rim, {},
                          mendingOf(plan, request.reduction, merging));
    DevelopedRows rows(*set, scene, developer, mapping);
    return resample(rows.source(), part.region, part.width, part.height, mapping);
}

} // namespace

Image<float> render(const RenderPlan &plan, const OutputLight &output, const RenderRequest &request, ExecContext &ctx)
{
    if (plan.recipe.returned.isThere())
        return returnedPicture(plan, output.space, request, ctx);
    const auto through = throughMap(plan.map, plan.reference(), request, plan.recipe.geometry.corners);
    if (!through)
        return flatPicture(plan, output, request, ctx);
    ExecContext making = ctx.part(0.0, 0.9), bringing = ctx.part(0.9, 1.0);
    const Image<float> flat = flatPicture(plan, output, through->flat, making);
    return through->light(plan.map, flat.view(), bringing);
}

Image<float> render(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx)
{
    return render(plan, plan.recipe.output.space, request, ctx);
}

} // namespace yolk
