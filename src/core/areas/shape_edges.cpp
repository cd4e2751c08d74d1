#include "areas/shape_edges.h"

#include <algorithm>
#include <cmath>

namespace yolk {

EdgeModel edgesOf(ImageView<const float> scene, double step, const ShapeMask &drawn, const StrokeRaster *strokes,
                  double reach, float dark, ExecContext &ctx)
{
    constexpr int kLeastReach = 8;
    const int window = std::max(kLeastReach, int(std::lround(reach / step)));
    Rect part{0, 0, scene.width(), scene.height()};
    if (strokes) { // often small
        const double s = strokes->step / step;
        const Rect &a = strokes->area;
        part = {std::max(0, int(a.x0 * s) - 2 * window), std::max(0, int(a.y0 * s) - 2 * window),
                std::min(scene.width(), int(a.x1 * s) + 2 * window),
                std::min(scene.height(), int(a.y1 * s) + 2 * window)};
    }
    if (part.empty())
        return {};
    const PixelGrid grid{0.0, 0.0, step, step, part.x0, part.y0};
    const ShapeMaskPtr cores = strokes ? strokeCoresMask({std::shared_ptr<void>(), strokes}) : nullptr;
    Image<float> over(part.width(), part.height(), 1), meant(part.width(), part.height(), 1);
    for (int y = 0; y < part.height(); ++y) {
        float *p = over.row(0, y), *m = meant.row(0, y);
        drawn.row(grid, y, part.width(), {}, p);
        if (cores)
            cores->row(grid, y, part.width(), {}, m);
        else
            std::transform(p, p + part.width(), m, [](float v) { return v * v * v; });
    }
    return edgeModelOf(scene.crop(part), grid, meant.view(), over.view(), window, dark, ctx);
}

} // namespace yolk
