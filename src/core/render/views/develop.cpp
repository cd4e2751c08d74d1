#include "render/views/develop.h"

#include "colour/oklab_rows.h"
#include "recipe/sections.h"
#include "render/stages/align_stage.h"
#include "render/stages/merged_noise.h"
#include "render/stages/scene_stage.h"

#include "tone/fusion.h"
#include "tone/local_layers.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

namespace yolk {
namespace {

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

Hash128 hashed(StageKey what, const Hash128 &of, const Hash128 &beside = {})
{
    Hasher hasher;
    hasher.value(what).value(of.high).value(of.low).value(beside.high).value(beside.low);
    return hasher.finish();
}

/// The layers of a scene under `plan`, and the keys that they are kept under.
ToneGrids gridsOf(const RenderPlan &plan, Hash128 &layersKey, Hash128 &blendKey, ExecContext &ctx)
{
    const ToneSettings &tone = plan.tone.settings();
    const ToneStart &start = plan.measured.tone;
    ToneGrids out;
    if (!needsLayers(plan.tone))
        return out;
    const Recipe without = layersRecipe(plan.recipe);
    const RenderPlan plain(plan.sources, plan.measured, without);
    const RenderRequest whole{previewReduction(plan.sources), {}, 0, 0};
    ExecContext finding = ctx.part(0.0, 0.9), blending = ctx.part(0.9, 1.0);
    Hasher hasher;
    const Hash128 sceneKey = plain.sceneKey(whole);
    hasher.value(sceneKey.high).value(sceneKey.low).value(start.lowEv).value(start.peakEv);
    const Hash128 scene = hasher.finish();
    const auto bytes = [](const LightGrid &grid) { return grid.bytes(); };
    layersKey = hashed(StageKey::Layers, scene);
    out.layers = plan.sources.cache->get<LightGrid>(
        layersKey, finding,
        [&](ExecContext &own) {
            ExecContext scening = own.part(0.0, 0.8), layering = own.part(0.8, 1.0);
            return layersOf(sceneOf(plain, whole, scening)->view(), start, layering);
        },
        bytes);
    if (!needsBlend(tone))
        return out;
    const PicturePtr small = plan.sources.cache->get<Image<float>>(
        hashed(StageKey::BlendScene, scene), finding,
        [&](ExecContext &own) { return blendScene(sceneOf(plain, whole, own)->view()); },
        [](const Image<float> &image) { return image.bytes(); });
    Hasher blend;
    blend.value(StageKey::Blend).value(scene.high).value(scene.low);
    blend.value(tone.range).value(tone.exposure).value(tone.contrast);
    blendKey = blend.finish();
    out.blend = plan.sources.cache->get<LightGrid>(
        blendKey, blending, [&](ExecContext &own) { return blendGrid(small->view(), tone, start, own); }, bytes);
    return out;
}

int contextOf(const Adjustments &adjustments, double scale)
{
    int out = 0;
    for (const AdjustmentPtr &a : adjustments)
        out += a->context(scale);
    return out;
}

/// The adjustments as they act on this picture: those that must see it whole have.
Adjustments informed(const Adjustments &adjustments, const std::function<const Survey &()> &survey)
{
    Adjustments out;
    for (const AdjustmentPtr &a : adjustments)
        if (AdjustmentPtr acting = a->surveys() ? a->surveyed(survey()) : a)
            out.push_back(std::move(acting));
    return out;
}

/// What adjustments saw of the scene that `request` makes of a plan, kept for the next move of a slider.
std::function<Survey::Seen(std::string_view, double, const std::function<Survey::Seen()> &)>
seenBefore(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx)
{
    return [&ctx, cache = plan.sources.cache, scene = plan.sceneKey(request)](std::string_view who, double setting,
                                                                              const auto &make) {
        constexpr size_t kBytes = 4u << 20; // some planes of a small picture
        Hasher hasher;
        hasher.value(StageKey::Survey).value(scene.high).value(scene.low).text(who).value(setting);
        return *cache->get<Survey::Seen>(
            hasher.finish(), ctx, [&](ExecContext &) { return make(); }, [](const Survey::Seen &) { return kBytes; });
    };
}

PictureShares sharesOf(const PictureMap &map, const Rect &area)
{
    return [&map, area](double x, double y) {
        const Point p = map.toPicture({x, y});
        return Point{(p.x - area.x0) / area.width(), (p.y - area.y0) / area.height()};
    };
}

ScenePart scenePartOf(const Frame &reference, const PixelGrid &grid, int width, int height)
{
    const auto at = [](double origin, double step, int pixel, int size) { return (origin + pixel * step) / size; };
    return {at(grid.originX, grid.stepX, grid.firstX, reference.width),
            at(grid.originY, grid.stepY, grid.firstY, reference.height),
            at(grid.originX, grid.stepX, grid.firstX + width, reference.width),
            at(grid.originY, grid.stepY, grid.firstY + height, reference.height)};
}

/// Light on its way through a list: the first image is somebody else's, those that follow are made here. An adjustment
/// without context works in place once there is a picture of our own.
class Passing {
public:
    explicit Passing(ImageView<const float> light) : light_(light) {}
    ImageView<const float> light() const { return light_; }
    void take(Image<float> made)
    {
        own_ = std::move(made);
        light_ = own_.view();
    }
    /// `grid` is of the light as it comes in; it shrinks with it.
    void through(const Adjustments &adjustments, PixelGrid &grid)
    {
        for (size_t i = 0; i < adjustments.size(); ++i) {
            const Adjustment &a = *adjustments[i];
            if (a.isInOklab()) {
                const size_t first = i;
                while (i + 1 < adjustments.size() && adjustments[i + 1]->isInOklab())
                    ++i;
                throughOklab({adjustments.data() + first, i + 1 - first}, grid);
                continue;
            }
            const int reach = a.context(grid.scale());
            if (reach == 0 && !own_.shape().empty()) {
                a.apply(light_, own_.view(), grid);
            } else {
                Image<float> next({light_.width() - 2 * reach, light_.height() - 2 * reach, 3}, Fill::Anything);
                grid = grid.from(reach, reach);
                a.apply(light_, next.view(), grid);
                take(std::move(next));
            }
        }
    }

private:
    /// A row goes through all that are in Oklab before the next: it stays in the nearest cache.
    void throughOklab(std::span<const AdjustmentPtr> adjustments, const PixelGrid &grid)
    {
        static const OklabSpace kSpace(kRec2020);
        if (own_.shape().empty())
            own_ = Image<float>(light_.shape(), Fill::Anything);
        for (int y = 0; y < light_.height(); ++y) {
            const float *const from[3] = {light_.row(0, y), light_.row(1, y), light_.row(2, y)};
            float *const to[3] = {own_.row(0, y), own_.row(1, y), own_.row(2, y)};
            const ImageView<float> row = own_.view().crop({0, y, own_.width(), y + 1});
            oklabOfRow(from, light_.width(), kSpace, to);
            for (const AdjustmentPtr &a : adjustments)
                a->apply(row, row, grid.from(0, y));
            rgbOfRow(to, light_.width(), kSpace, to);
        }
        light_ = own_.view();
    }

    ImageView<const float> light_;
    Image<float> own_;
};

} // namespace

PixelGrid gridOf(const RealRect &region, int width, int height)
{
    return {region.x0, region.y0, (region.x1 - region.x0) / width, (region.y1 - region.y0) / height};
}

RenderRequest widened(const RenderRequest &request, const Frame &reference, int margin)
{
    if (margin == 0)
        return request;
    RenderRequest out = request;
    const RealRect region = regionOf(request, reference);
    const PlacedView part = placedView(request, region);
    const PixelGrid grid = gridOf(region, part.width, part.height);
    out.region = {region.x0 - margin * grid.stepX, region.y0 - margin * grid.stepY, region.x1 + margin * grid.stepX,
                  region.y1 + margin * grid.stepY};
    out.width = part.width + 2 * margin;
    out.height = part.height + 2 * margin;
    return out;
}

Developer::Developer(const RenderPlan &plan, const OutputLight &output, ExecContext &ctx)
    : plan_(plan), mapper_(plan.tone, plan.measured.tone, output, chromaBeside(plan.curve),
                           gridsOf(plan, layersKey_, blendKey_, ctx)),
      masks_(plan.areas.empty() ? AreaMasks() : AreaMasks(plan, plan.areas, ctx))
{
    PicturePtr scene;
    std::optional<Survey> known;
    ExecContext seeing = ctx.child({});
    const auto survey = [&]() -> const Survey & {
        if (!known) {
            const Frame &frame = plan.reference();
            ExecContext looking = ctx.child({}), noise = ctx.child({});
            const RenderRequest request = measuringRequest(plan.sources, frame);
            scene = sceneOf(plan, request, looking);
            const Rect area = pictureArea(plan);
            known = Survey{scene->view(),
                           double(frame.width),
                           double(frame.height),
                           sharesOf(plan.map, area),
                           double(area.width()) / area.height(),
                           noiseFieldOf(plan, noise),
                           seenBefore(plan, request, seeing)};
        }
        return *known;
    };
    onScene_ = informed(plan.onScene, survey);
    onDisplay_ = informed(plan.onDisplay, survey);
}

int Developer::context(double scale) const
{
    return contextOf(onScene_, scale) + contextOf(onDisplay_, scale);
}

/// What is known of a view already: of its light (null images: nothing), the masks of all of it, and whether what acts on
/// scene light is done.
struct Developer::Known {
    ImageView<const float> lights{}, blend{};
    const MaskRows *masks = nullptr;
    bool isAdjusted = false;

    Known rows(const Rect &of) const
    {
        const auto part = [&](ImageView<const float> image) { return image.shape().empty() ? image : image.crop(of); };
        return {part(lights), part(blend), masks, isAdjusted};
    }
};

void Developer::develop(ImageView<const float> scene, const Known &known, const PixelGrid &grid,
                        ImageView<float> out) const
{
    const int margin = known.isAdjusted ? contextOf(onDisplay_, grid.scale()) : context(grid.scale());
    std::optional<MaskRows> own;
    PixelGrid here = grid.from(-margin, -margin);
    here.masks = known.masks;
    if (!masks_.empty() && !known.masks)
        here.masks = &own.emplace(masks_.rows(scene, here));
    Passing passing(scene);
    if (!known.isAdjusted)
        passing.through(onScene_, here);
    const bool adjusts = !onDisplay_.empty();
    const ToneMapper::Until until = adjusts ? ToneMapper::Until::Open : ToneMapper::Until::End;
    Image<float> toned;
    if (adjusts)
        toned = Image<float>({passing.light().width(), passing.light().height(), 3}, Fill::Anything);
    const ImageView<float> to = adjusts ? toned.view() : out;
    if (known.lights.shape().empty())
        mapper_.mapRows(passing.light(), 0, to.height(), scenePartOf(plan_.reference(), here, to.width(), to.height()),
                        to, until, here);
    else
        mapper_.mapRowsWith(passing.light(), known.lights, known.blend, to, until, here);
    if (!adjusts)
        return;
    passing.take(std::move(toned));
    passing.through(onDisplay_, here);
    mapper_.end(passing.light(), out);
}

void Developer::operator()(ImageView<const float> scene, const PixelGrid &grid, ImageView<float> out) const
{
    develop(scene, {}, grid, out);
}

Image<float> Developer::picture(ImageView<const float> scene, const PixelGrid &grid, ExecContext &ctx) const
{
    return picture(scene, {}, grid, ctx);
}

Image<float> Developer::picture(ImageView<const float> scene, const Known &known, const PixelGrid &grid,
                                ExecContext &ctx) const
{
    const int margin = known.isAdjusted ? contextOf(onDisplay_, grid.scale()) : context(grid.scale());
    Image<float> out({scene.width() - 2 * margin, scene.height() - 2 * margin, 3}, Fill::Anything);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        const Rect rows{0, y0, scene.width(), y1 + 2 * margin};
        develop(scene.crop(rows), known.rows(rows), grid.from(0, y0), out.view().crop({0, y0, out.width(), y1}));
    });
    return out;
}

PicturePtr Developer::adjustedScene(const RenderRequest &request, const Hash128 &key, ExecContext &ctx) const
{
    const auto make = [&](ExecContext &own) {
        const RealRect region = regionOf(request, plan_.reference());
        const PlacedView part = placedView(request, region);
        const PixelGrid grid = gridOf(region, part.width, part.height);
        const int reach = contextOf(onScene_, grid.scale());
        ExecContext scening = own.part(0.0, 0.5), adjusting = own.part(0.5, 1.0);
        const PicturePtr scene = sceneOf(plan_, widened(request, plan_.reference(), reach), scening);
        Image<float> out({part.width, part.height, 3}, Fill::Anything);
        forEachBand(adjusting, out.height(), [&](int y0, int y1) {
            Passing passing(scene->view().crop({0, y0, scene->width(), y1 + 2 * reach}));
            PixelGrid here = grid.from(-reach, y0 - reach);
            passing.through(onScene_, here);
            for (int c = 0; c < 3; ++c)
                for (int y = y0; y < y1; ++y)
                    std::copy_n(passing.light().row(c, y - y0), out.width(), out.row(c, y));
        });
        return out;
    };
    return plan_.sources.views->get<Image<float>>(key, ctx, make,
                                                  [](const Image<float> &image) { return image.bytes(); });
}

Image<float> Developer::view(const RenderRequest &request, ExecContext &ctx) const
{
    ExecContext scening = ctx.part(0.0, 0.8), mapping = ctx.part(0.8, 1.0);
    const RealRect region = regionOf(request, plan_.reference());
    const PlacedView part = placedView(request, region);
    const PixelGrid grid = gridOf(region, part.width, part.height);
    // What acts on scene light is kept for the sliders after it, unless areas vary it.
    const bool isAdjusted =
        !onScene_.empty() && plan_.sources.views && masks_.empty() && double(part.width) * part.height <= kViewPixels;
    const int margin = isAdjusted ? contextOf(onDisplay_, grid.scale()) : context(grid.scale());
    const RenderRequest wide = widened(request, plan_.reference(), margin);
    const Hash128 sceneKey =
        isAdjusted ? hashed(StageKey::Adjusted, plan_.sceneKey(wide), hashUpTo(Stage::Adjust, plan_.recipe))
                   : plan_.sceneKey(wide);
    const PicturePtr scene = isAdjusted ? adjustedScene(wide, sceneKey, scening) : sceneOf(plan_, wide, scening);
    constexpr size_t kMostMasks = 16; // more would fill the cache
    const bool isSmall = plan_.sources.views && double(scene->shape().pixels()) <= kViewPixels;
    std::shared_ptr<const MaskRows> masks;
    if (isSmall && !masks_.empty() && masks_.size() <= kMostMasks)
        masks = plan_.sources.views->get<MaskRows>(
            hashed(StageKey::Masks, masks_.key(), sceneKey), mapping,
            [&](ExecContext &own) { return masks_.rows(scene->view(), grid.from(-margin, -margin), own); },
            [](const MaskRows &rows) { return rows.bytes(); });
    if (!isSmall || !mapper_.readsGrids() || (!onScene_.empty() && !isAdjusted))
        return picture(scene->view(), {.masks = masks.get(), .isAdjusted = isAdjusted}, grid, mapping);
    const ScenePart lit = scenePartOf(plan_.reference(), grid.from(-margin, -margin), scene->width(), scene->height());
    const auto kept = [&](StageKey what, const Hash128 &of, const std::function<Image<float>(ExecContext &)> &make) {
        return plan_.sources.views->get<Image<float>>(hashed(what, of, sceneKey), mapping, make,
                                                      [](const Image<float> &image) { return image.bytes(); });
    };
    const PicturePtr lights =
        kept(StageKey::Lights, layersKey_, [&](ExecContext &own) { return mapper_.lightsOf(scene->view(), lit, own); });
    const PicturePtr blend = kept(StageKey::BlendLights, blendKey_,
                                  [&](ExecContext &own) { return mapper_.blendOf(lights->view(), lit, own); });
    return picture(scene->view(), {lights->view(), blend->view(), masks.get(), isAdjusted}, grid, mapping);
}

} // namespace yolk
