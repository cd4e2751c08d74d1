#include "render/reading.h"

#include "tone/tone_curve.h"

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
    Image<float> scene(int(places.size()), 1, 3);
    for (size_t i = 0; i < places.size(); ++i) {
        const int x = std::clamp(int(places[i].x / reduction), 0, radiance.width() - 1);
        const int y = std::clamp(int(places[i].y / reduction), 0, radiance.height() - 1);
        const Vector3 rgb = matrix * Vector3{radiance.row(0, y)[x], radiance.row(1, y)[x], radiance.row(2, y)[x]};
        const double white = merged->pixels.clipped.row(0, y)[x] > 0 ? double(clippedLightOf(*merged, x, y)) : 0.0;
        for (size_t c = 0; c < 3; ++c)
            scene.row(int(c), 0)[i] = float(rgb[c] + shift[c] * white);
    }
    const Image<float> display =
        toneMap(scene.view(), ToneCurve(recipe.tone, measured.tone), recipe.output.space, ctx);
    std::vector<Vector3> out(places.size());
    for (size_t i = 0; i < out.size(); ++i)
        for (size_t c = 0; c < 3; ++c)
            out[i][c] = double(display.row(int(c), 0)[i]);
    return out;
}

} // namespace yolk
