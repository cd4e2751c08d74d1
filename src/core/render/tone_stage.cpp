#include "render/tone_stage.h"

#include "render/render_p.h"

#include "base/hash.h"
#include "tone/fusion.h"
#include "tone/local_layers.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

enum class Grid : int { Layers = 100, Blend }; // apart from the other stages' keys

/// The recipe of the merge that layers are found from.
Recipe layersRecipe(const Recipe &recipe)
{
    Recipe out;
    out.frames = recipe.frames;
    out.frames.keeper.clear();
    out.prepare = recipe.prepare;
    out.align = recipe.align;
    out.align.local = AlignMode::Off;
    out.white = recipe.white;
    return out;
}

Image<float> evOf(ImageView<const float> scene, ExecContext &ctx)
{
    Image<float> out(scene.width(), scene.height(), 1);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            evRow(scene.row(0, y), scene.row(1, y), scene.row(2, y), scene.width(), out.row(0, y));
    });
    return out;
}

LightGrid layersOf(ImageView<const float> scene, const ToneStart &start, ExecContext &ctx)
{
    constexpr double kBelow = 4.0, kAbove = 3.0; // stops around what a scene holds
    const double lowest = start.lowEv - kBelow;
    const double longest = std::clamp(start.peakEv + kAbove - lowest, 1.0, 60.0);
    ExecContext converting = ctx.part(0.0, 0.1), finding = ctx.part(0.1, 1.0);
    return localLayers(evOf(scene, converting).view(), lowest, longest, finding);
}

/// Where contrast is squeezed and chroma is not, colours look too strong.
double chromaBeside(const ToneCurve &curve)
{
    constexpr double kShare = 0.25; // by eye
    return std::pow(curve.slope(), kShare);
}

} // namespace

ScenePart scenePartOf(const Frame &reference, const RealRect &region)
{
    if (region == RealRect{})
        return {};
    return {region.x0 / reference.width, region.y0 / reference.height, region.x1 / reference.width,
            region.y1 / reference.height};
}

ToneMapper toneMapperOf(const Sources &sources, const Measured &measured, const Recipe &recipe, OutputSpace space,
                        ExecContext &ctx)
{
    const ToneSettings &tone = recipe.tone;
    const ToneCurve curve(tone, measured.tone); // first: a bad setting is said before any work
    ToneGrids grids;
    if (needsLayers(tone)) {
        const Recipe plain = layersRecipe(recipe);
        const RenderRequest whole{previewReduction(sources), {}, 0, 0};
        ExecContext scening = ctx.part(0.0, 0.7), layering = ctx.part(0.7, 0.9), blending = ctx.part(0.9, 1.0);
        Hasher hasher;
        hasher.value(Grid::Layers);
        hashScene(sources, measured, plain, whole, hasher);
        hasher.value(measured.tone.lowEv).value(measured.tone.peakEv);
        const Hash128 key = hasher.finish();
        const auto bytes = [](const LightGrid &grid) { return grid.bytes(); };
        grids.layers = sources.cache->get<LightGrid>(
            key,
            [&] {
                return layersOf(sceneOf(sources, measured, plain, whole, scening)->view(), measured.tone, layering);
            },
            bytes);
        if (needsBlend(tone)) {
            Hasher blend;
            blend.value(Grid::Blend).value(key.high).value(key.low);
            blend.value(tone.range).value(tone.exposure).value(tone.contrast);
            grids.blend = sources.cache->get<LightGrid>(
                blend.finish(),
                [&] {
                    const PicturePtr scene = sceneOf(sources, measured, plain, whole, scening);
                    return blendGrid(scene->view(), tone, measured.tone, blending);
                },
                bytes);
        }
    }
    return ToneMapper(tone, measured.tone, space,
                      chromaBeside(curve) * (1.0 + recipe.colour.saturation / 100.0), std::move(grids));
}

} // namespace yolk
