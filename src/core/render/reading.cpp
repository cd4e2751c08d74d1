#include "render/reading.h"

#include "render/tone_stage.h"

#include <algorithm>

namespace yolk {

std::vector<Vector3> outputAt(const Sources &sources, const Measured &measured, const Recipe &recipe, int reduction,
                              std::span<const Point> places, ExecContext &ctx)
{
    if (places.empty())
        return {};
    const MergedPtr merged = mergedOf(sources, measured, recipe, reduction, ctx);
    const Image<float> &radiance = merged->pixels.radiance;
    const Matrix3 matrix = whiteMatrix(merged->colour, recipe.white, measured);
    const Vector3 shift = clippedWhiteShift(*merged, matrix);
    const ToneMapper tones = toneMapperOf(sources, measured, recipe, recipe.output.space, ctx);
    std::vector<Vector3> out;
    Image<float> scene(1, 1, 3);
    for (const Point &place : places) {
        const int x = std::clamp(int(place.x / reduction), 0, radiance.width() - 1);
        const int y = std::clamp(int(place.y / reduction), 0, radiance.height() - 1);
        const Vector3 rgb = matrix * Vector3{radiance.row(0, y)[x], radiance.row(1, y)[x], radiance.row(2, y)[x]};
        const double white = merged->pixels.clipped.row(0, y)[x] > 0 ? double(clippedLightOf(*merged, x, y)) : 0.0;
        for (size_t c = 0; c < 3; ++c)
            scene.row(int(c), 0)[0] = float(rgb[c] + shift[c] * white);
        const double left = double(x) / radiance.width(), top = double(y) / radiance.height();
        const ScenePart part{left, top, left + 1.0 / radiance.width(), top + 1.0 / radiance.height()};
        const Image<float> display = tones(scene.view(), part, ctx);
        out.push_back({display.row(0, 0)[0], display.row(1, 0)[0], display.row(2, 0)[0]});
    }
    return out;
}

} // namespace yolk
