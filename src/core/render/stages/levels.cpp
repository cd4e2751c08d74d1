#include "render/stages/levels.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// A picture made smaller by 4^level, so that far views need not read all of it every time; finer steps would cost a
/// third of the picture's memory. Still coded.
PicturePtr levelOf(const Sources &sources, const Hash128 &key, const RowSource &whole, int level, ExecContext &ctx)
{
    Hasher hasher;
    hasher.value(StageKey::Level).value(key.high).value(key.low).value(level);
    return sources.cache->get<Image<float>>(
        hasher.finish(), ctx,
        [&](ExecContext &own) {
            const PicturePtr finer = level > 1 ? levelOf(sources, key, whole, level - 1, own) : nullptr;
            const Shape shape = finer ? finer->shape() : whole.shape;
            const int w = (shape.width + 3) / 4, h = (shape.height + 3) / 4;
            const RealRect all{0, 0, 4.0 * w, 4.0 * h};
            return finer ? resample(finer->view(), all, w, h, ctx) : resample(whole, all, w, h, ctx);
        },
        [](const Image<float> &image) { return image.bytes(); });
}

} // namespace

Image<float> partOf(const Sources &sources, const Hash128 &key, const RowSource &whole, const RealRect &region,
                    int width, int height, ExecContext &ctx)
{
    const double factor = std::min((region.x1 - region.x0) / width, (region.y1 - region.y0) / height);
    const int level = factor >= 4.0 ? int(std::log2(factor) / 2.0) : 0;
    if (level == 0)
        return resample(whole, region, width, height, ctx);
    const double shrink = std::exp2(-2 * level);
    return resample(levelOf(sources, key, whole, level, ctx)->view(),
                    {region.x0 * shrink, region.y0 * shrink, region.x1 * shrink, region.y1 * shrink}, width, height,
                    ctx);
}

} // namespace yolk
