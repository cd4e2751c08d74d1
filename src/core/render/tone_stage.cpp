#include "render/tone_stage.h"

#include "render/render_p.h"

#include "base/hash.h"
#include "tone/fusion.h"
#include "tone/local_layers.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

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

namespace {

struct Found {
    ToneGrids grids;
    Hash128 layersKey{}, blendKey{};
};

Hash128 hashed(StageKey what, const Hash128 &of)
{
    Hasher hasher;
    hasher.value(what).value(of.high).value(of.low);
    return hasher.finish();
}

Found gridsOf(const Sources &sources, const Measured &measured, const Recipe &recipe, ExecContext &ctx)
{
    const ToneSettings &tone = recipe.tone;
    Found out;
    if (!needsLayers(tone))
        return out;
    const Recipe plain = layersRecipe(recipe);
    const RenderRequest whole{previewReduction(sources), {}, 0, 0};
    ExecContext finding = ctx.part(0.0, 0.9), blending = ctx.part(0.9, 1.0);
    Hasher hasher;
    hashScene(sources, measured, plain, whole, hasher);
    hasher.value(measured.tone.lowEv).value(measured.tone.peakEv);
    const Hash128 scene = hasher.finish();
    const auto bytes = [](const LightGrid &grid) { return grid.bytes(); };
    out.layersKey = hashed(StageKey::Layers, scene);
    out.grids.layers = sources.cache->get<LightGrid>(
        out.layersKey, finding,
        [&](ExecContext &own) {
            ExecContext scening = own.part(0.0, 0.8), layering = own.part(0.8, 1.0);
            return layersOf(sceneOf(sources, measured, plain, whole, scening)->view(), measured.tone, layering);
        },
        bytes);
    if (!needsBlend(tone))
        return out;
    const PicturePtr small = sources.cache->get<Image<float>>(
        hashed(StageKey::BlendScene, scene), finding,
        [&](ExecContext &own) { return blendScene(sceneOf(sources, measured, plain, whole, own)->view()); },
        [](const Image<float> &image) { return image.bytes(); });
    Hasher blend;
    blend.value(StageKey::Blend).value(scene.high).value(scene.low);
    blend.value(tone.range).value(tone.exposure).value(tone.contrast);
    out.blendKey = blend.finish();
    out.grids.blend = sources.cache->get<LightGrid>(
        out.blendKey, blending, [&](ExecContext &own) { return blendGrid(small->view(), tone, measured.tone, own); },
        bytes);
    return out;
}

ToneMapper mapperOf(const Measured &measured, const Recipe &recipe, OutputSpace space, ToneGrids grids)
{
    const ToneCurve curve(recipe.tone, measured.tone);
    return ToneMapper(recipe.tone, measured.tone, space, chromaBeside(curve) * (1.0 + recipe.colour.saturation / 100.0),
                      std::move(grids));
}

} // namespace

ToneMapper toneMapperOf(const Sources &sources, const Measured &measured, const Recipe &recipe, OutputSpace space,
                        ExecContext &ctx)
{
    static_cast<void>(ToneCurve(recipe.tone, measured.tone)); // first: a bad setting is said before any work
    return mapperOf(measured, recipe, space, gridsOf(sources, measured, recipe, ctx).grids);
}

Image<float> mapTones(const Sources &sources, const Measured &measured, const Recipe &recipe,
                      const RenderRequest &request, ImageView<const float> scene, OutputSpace space, ExecContext &ctx)
{
    ExecContext finding = ctx.part(0.0, 0.5), mapping = ctx.part(0.5, 1.0);
    Found found = gridsOf(sources, measured, recipe, finding);
    const ToneMapper mapper = mapperOf(measured, recipe, space, std::move(found.grids));
    const Bracket bracket = bracketOf(sources, measured, recipe);
    const ScenePart part = scenePartOf(*bracket.frames[bracket.reference].frame, request.region);
    if (!mapper.readsGrids() || !sources.views || double(scene.shape().pixels()) > kViewPixels)
        return mapper(scene, part, mapping);
    const auto kept = [&](StageKey what, const Hash128 &of, const std::function<Image<float>(ExecContext &)> &make) {
        Hasher hasher;
        hasher.value(what).value(of.high).value(of.low);
        hashScene(sources, measured, recipe, request, hasher);
        return sources.views->get<Image<float>>(hasher.finish(), mapping, make,
                                                [](const Image<float> &image) { return image.bytes(); });
    };
    const PicturePtr lights =
        kept(StageKey::Lights, found.layersKey, [&](ExecContext &own) { return mapper.lightsOf(scene, part, own); });
    const PicturePtr blend = kept(StageKey::BlendLights, found.blendKey,
                                  [&](ExecContext &own) { return mapper.blendOf(lights->view(), part, own); });
    return mapper.withLights(scene, lights->view(), blend->view(), mapping);
}

} // namespace yolk
