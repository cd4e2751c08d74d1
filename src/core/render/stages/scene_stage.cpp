#include "render/stages/scene_stage.h"

#include "render/stages/levels.h"
#include "render/stages/light_code.h"
#include "render/stages/scene_rows.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// The merge as it is read for views: R, G and B, then SceneRows::clippedLight() where it is asked for, all coded for
/// averaging where there is a code.
RowSource rowsOf(const MergedSet &set, const Mending *mending, bool withClipped, const LightCode *code)
{
    Shape shape = set.pixels.radiance.shape();
    shape.planes = withClipped ? 4 : 3;
    const auto read = [&set, mending, shape, code](int y, int x0, int x1, ImageView<float> scratch,
                                                   const float **rows) {
        const int width = x1 - x0;
        const bool mends = mending && isMended(mending->patches, y, x0, x1);
        const float *in[4];
        float *out[4];
        for (int p = 0; p < shape.planes; ++p) {
            out[p] = scratch.row(p, 0) + x0;
            in[p] = p < 3 && !mends ? set.pixels.radiance.row(p, y) + x0 : out[p];
            if (p < 3 && mends) {
                std::copy_n(set.pixels.radiance.row(p, y) + x0, width, out[p]);
                layOver(mending->patches, p, y, x0, x1, out[p]);
            }
        }
        if (shape.planes == 4) {
            std::vector<uint8_t> clipped(set.pixels.clipped.row(0, y) + x0, set.pixels.clipped.row(0, y) + x1);
            if (mends)
                layOverClipped(mending->patches, y, x0, x1, clipped.data());
            for (int x = 0; x < width; ++x)
                out[3][x] = SceneRows::clippedLight(set.colour, in, clipped[size_t(x)], x);
        }
        if (code)
            code->code(in, shape.planes, width, out);
        for (int p = 0; p < shape.planes; ++p)
            rows[p] = code || mends || p == 3 ? scratch.row(p, 0) : set.pixels.radiance.row(p, y);
    };
    return {shape, read};
}

/// Part of a merge, and SceneRows::clippedLight() as a fourth plane where it is asked for. `key` is the merge's, `knee`
/// as for LightCode.
Image<float> lightOf(const Sources &sources, const Hash128 &key, const MergedSet &set, const Mending *mending,
                     bool withClipped, double knee, const RealRect &region, int width, int height, ExecContext &ctx)
{
    if (region.x1 - region.x0 <= width && region.y1 - region.y0 <= height) // nothing is averaged
        return resample(rowsOf(set, mending, withClipped, nullptr), region, width, height, ctx);
    const LightCode code(luminanceRow(set.colour.toRec2020), knee);
    Hasher hasher;
    hasher.value(key.high).value(key.low).value(withClipped).value(knee);
    Image<float> out =
        partOf(sources, hasher.finish(), rowsOf(set, mending, withClipped, &code), region, width, height, ctx);
    code.decode(out.view(), ctx);
    return out;
}

} // namespace

PicturePtr sceneOf(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx)
{
    const RealRect region = regionOf(request, plan.reference());
    return (plan.sources.views ? plan.sources.views : plan.sources.cache)
        ->get<Image<float>>(
            plan.sceneKey(request), ctx,
            [&](ExecContext &own) {
                ExecContext merging = own.part(0.0, 0.8), lighting = own.part(0.8, 0.9), reducing = own.part(0.9, 1.0);
                const MergedPtr set = mergedOf(plan, request.reduction, merging);
                const MendingPtr mending = mendingOf(plan, request.reduction, merging);
                const SceneRows rows(*set, plan.white, lampWhiteOf(plan, lighting), plan.rim);
                const PlacedView part = placedView(request, region);
                Image<float> light = lightOf(
                    plan.sources, mending ? plan.mendingKey(request.reduction) : plan.mergedKey(request.reduction),
                    *set, mending.get(), rows.shiftsClipped(), plan.knee, part.region, part.width, part.height,
                    reducing);
                Image<float> scene =
                    rows.shiftsClipped() ? Image<float>({part.width, part.height, 3}, Fill::Anything) : Image<float>();
                const ImageView<float> out = rows.shiftsClipped() ? scene.view() : light.view();
                // In shares of the scene's sides.
                const double perX = double(set->reduction) / set->fullWidth,
                             perY = double(set->reduction) / set->fullHeight;
                const double stepX = (part.region.x1 - part.region.x0) / part.width * perX,
                             stepY = (part.region.y1 - part.region.y0) / part.height * perY;
                forEachBand(reducing, light.height(), [&](int y0, int y1) {
                    for (int y = y0; y < y1; ++y) {
                        const float *const from[4] = {light.row(0, y), light.row(1, y), light.row(2, y),
                                                      rows.shiftsClipped() ? light.row(3, y) : nullptr};
                        float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
                        rows.turn(
                            from, light.width(),
                            {part.region.x0 * perX + 0.5 * stepX, stepX, part.region.y0 * perY + (y + 0.5) * stepY},
                            to);
                    }
                });
                return rows.shiftsClipped() ? std::move(scene) : std::move(light);
            },
            [](const Image<float> &image) { return image.bytes(); });
}

} // namespace yolk
