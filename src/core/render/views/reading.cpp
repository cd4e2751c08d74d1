#include "render/views/reading.h"

#include "render/stages/scene_rows.h"
#include "render/views/develop.h"

#include <algorithm>

namespace yolk {

std::vector<Vector3> outputAt(const Sources &sources, const Measured &measured, const Recipe &recipe, int reduction,
                              std::span<const Point> places, ExecContext &ctx)
{
    if (places.empty())
        return {};
    const RenderPlan plan(sources, measured, recipe);
    const MergedPtr merged = mergedOf(plan, reduction, ctx);
    const SceneRows rows(*merged, plan.white, lampWhiteOf(plan, ctx), plan.rim, {}, mendingOf(plan, reduction, ctx));
    const Developer developer(plan, recipe.output.space, ctx);
    const Shape shape = merged->pixels.radiance.shape();
    const PixelGrid grid{0.0, 0.0, double(reduction), double(reduction)};
    const int margin = developer.context(grid.scale());
    std::vector<Vector3> out;
    Image<float> scene(1 + 2 * margin, 1 + 2 * margin, 3), display(1, 1, 3);
    for (const Point &place : places) {
        const int x = std::clamp(int(place.x / reduction), 0, shape.width - 1);
        const int y = std::clamp(int(place.y / reduction), 0, shape.height - 1);
        for (int v = -margin; v <= margin; ++v)
            for (int u = -margin; u <= margin; ++u) {
                const int across = std::clamp(x + u, 0, shape.width - 1);
                float *const to[3] = {scene.row(0, v + margin) + u + margin, scene.row(1, v + margin) + u + margin,
                                      scene.row(2, v + margin) + u + margin};
                rows.read(std::clamp(y + v, 0, shape.height - 1), across, across + 1, to);
            }
        developer(scene.view(), grid.from(x, y), display.view());
        out.push_back({display.row(0, 0)[0], display.row(1, 0)[0], display.row(2, 0)[0]});
    }
    return out;
}

Vector3 sceneLightAt(const MergedSet &set, const Matrix3 &white, const LampWhitePtr &lamp, const RadialCurve &rim,
                     int x, int y)
{
    float light[3];
    float *const to[3] = {light, light + 1, light + 2};
    SceneRows(set, white, lamp, rim).read(y, x, x + 1, to);
    return {light[0], light[1], light[2]};
}

} // namespace yolk
