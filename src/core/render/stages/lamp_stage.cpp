#include "render/stages/lamp_stage.h"

#include "render/stages/merge_stage.h"

namespace yolk {
namespace {

/// What clips in every frame shows no light's colour: black is left out.
Image<float> withoutClipped(const Merged &pixels)
{
    const Image<float> &radiance = pixels.radiance;
    Image<float> out(radiance.shape(), Fill::Anything);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] = pixels.clipped.row(0, y)[x] != 0 ? 0.0f : radiance.row(c, y)[x];
    return out;
}

} // namespace

LampWhite::LampWhite(std::shared_ptr<const LightMixture> mixed, const RenderPlan &plan)
    : mixture(std::move(mixed)), gains(*mixture, plan.white, plan.lamp.strength / 100.0)
{
}

LampWhitePtr lampWhiteOf(const RenderPlan &plan, ExecContext &ctx)
{
    if (!isLampMended(plan.lamp))
        return nullptr;
    const CodeValues &colour = plan.reference().codeValues;
    const Vector3 lamp = neutralOf(colour, {plan.lamp.temperature, plan.lamp.tint});
    if (!areApart(lamp, plan.day))
        return nullptr;
    const int reduction = previewReduction(plan.sources);
    const Hash128 merged = plan.mergedKey(reduction);
    Hasher hasher;
    hasher.value(StageKey::Mixture).value(merged.high).value(merged.low);
    for (const Vector3 *light : {&lamp, &plan.day})
        for (const double v : *light)
            hasher.value(v);
    auto mixture = plan.sources.cache->get<LightMixture>(
        hasher.finish(), ctx,
        [&](ExecContext &own) {
            ExecContext merging = own.part(0.0, 0.9), finding = own.part(0.9, 1.0);
            const MergedPtr set = mergedOf(plan, reduction, merging);
            return lightMixture(colour, withoutClipped(set->pixels).view(), lamp, plan.day, finding);
        },
        [](const LightMixture &found) { return found.bytes(); });
    return std::make_shared<LampWhite>(std::move(mixture), plan);
}

} // namespace yolk
