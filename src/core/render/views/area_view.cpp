#include "render/views/area_view.h"

#include "render/stages/area_masks.h"
#include "render/stages/scene_stage.h"
#include "render/views/develop.h"
#include "render/views/through_map.h"
#include "tone/tone_map.h"

#include <algorithm>

namespace yolk {
namespace {

/// Of the reference frame's plane.
Image<float> flatMask(const RenderPlan &plan, size_t area, const RenderRequest &request, ExecContext &ctx)
{
    const SharedList<Area> &areas = plan.recipe.areas.areas;
    if (area >= areas.size())
        throw ArgumentError("there is no such area");
    const AreaMasks masks(plan, std::vector<Area>{areas[area]}, ctx);
    const PicturePtr scene = sceneOf(plan, request, ctx);
    const PixelGrid grid = gridOf(regionOf(request, plan.reference()), scene->width(), scene->height());
    Image<float> out(scene->width(), scene->height(), 1);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        const MaskRows rows = masks.rows(scene->view().crop({0, y0, out.width(), y1}), grid.from(0, y0));
        for (int y = y0; y < y1; ++y)
            if (const MaskRows::Row row = rows.row(0, 0, y, out.width()); row.values)
                std::copy_n(row.values, out.width(), out.row(0, y));
    });
    return out;
}

} // namespace

Image<float> areaMask(const RenderPlan &plan, size_t area, const RenderRequest &request, ExecContext &ctx)
{
    const auto through = throughMap(plan.map, plan.reference(), request, Corners::Leave);
    if (!through)
        return flatMask(plan, area, request, ctx);
    const Image<float> flat = flatMask(plan, area, through->flat, ctx);
    Image<float> three(flat.width(), flat.height(), 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < flat.height(); ++y)
            std::copy_n(flat.row(0, y), flat.width(), three.row(c, y));
    const Image<float> brought = through->light(plan.map, three.view(), ctx);
    const Image<uint8_t> reached = through->reached(plan.map, ctx);
    Image<float> out(brought.width(), brought.height(), 1);
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x)
            out.row(0, y)[x] = reached.row(0, y)[x] ? brought.row(0, y)[x] : 0.0f;
    return out;
}

SceneHistogram areaHistogram(const RenderPlan &plan, size_t area, ExecContext &ctx)
{
    const RenderRequest request = measuringRequest(plan.sources, plan.reference());
    const Image<float> mask = flatMask(plan, area, request, ctx), ev = evOf(sceneOf(plan, request, ctx)->view(), ctx);
    SceneHistogram out;
    for (int y = 0; y < ev.height(); ++y)
        for (int x = 0; x < ev.width(); ++x) {
            const int bin = int((double(ev.row(0, y)[x]) - SceneHistogram::kFirstEv) / SceneHistogram::kBinEv);
            out.shares[size_t(std::clamp(bin, 0, SceneHistogram::kBins - 1))] +=
                mask.row(0, y)[x] / float(ev.shape().pixels());
        }
    return out;
}

} // namespace yolk
