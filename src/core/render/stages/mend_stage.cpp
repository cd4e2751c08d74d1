#include "render/stages/mend_stage.h"

#include "base/field_hash.h"
#include "mend/mend.h"
#include "render/stages/align_stage.h"

#include <cmath>
#include <numbers>

namespace yolk {
namespace {

/// A spot as it lies on the reference frame made smaller, and what brings it there.
struct Placed {
    MendStroke stroke;
    Transform here; ///< from the frame that it was drawn on to the reference frame
};

Placed placed(const RenderPlan &plan, const MendSpot &spot, int reduction)
{
    const Transform here = transformBetween(spot.drawnOn, plan.reference().id, plan.sources, plan.measured);
    const Point first = spot.points[0], there = here(first), aside = here({first.x + spot.radius, first.y}),
                source = here({first.x + spot.sourceX, first.y + spot.sourceY});
    MendStroke out;
    for (const Point &p : spot.points) {
        const Point at = here(p);
        out.points.push_back({at.x / reduction, at.y / reduction});
    }
    out.radius = std::hypot(aside.x - there.x, aside.y - there.y) / reduction;
    out.source = {(source.x - there.x) / reduction, (source.y - there.y) / reduction};
    out.turn = spot.turn * std::numbers::pi / 180.0;
    out.way = spot.way;
    out.feather = spot.feather / 100.0;
    out.strength = spot.strength / 100.0;
    return {std::move(out), here};
}

/// Patches are kept under all that was said of them and of those before: what is changed last is made anew, the rest is
/// there.
Mending mendingUpTo(const RenderPlan &plan, const MergedSet &set, size_t count, ExecContext &ctx)
{
    Mending out;
    const SharedList<MendSpot> &spots = plan.recipe.mend.spots;
    Hash128 said = plan.mergedKey(set.reduction);
    MendedLight light(set.pixels.radiance.view(), set.pixels.clipped.view());
    for (size_t i = 0; i < count; ++i) {
        ctx.throwIfStopped();
        ctx.report(double(i) / double(count));
        if (!acts(spots[i]))
            continue;
        Hasher hasher;
        hasher.value(StageKey::Mend).value(said.high).value(said.low);
        hashFields(hasher, spots[i], kMendSpotFields);
        said = hasher.finish();
        ExecContext own = ctx.child({});
        auto patch = plan.sources.cache->get<MendPatch>(
            said, own, [&](ExecContext &) { return mended(light, placed(plan, spots[i], set.reduction).stroke); },
            [](const MendPatch &made) { return made.bytes(); });
        if (patch->area.empty())
            continue;
        light.add(patch);
        out.patches.push_back(std::move(patch));
    }
    ctx.report(1.0);
    return out;
}

} // namespace

size_t Mending::bytes() const
{
    size_t out = sizeof *this;
    for (const auto &patch : patches)
        out += patch->bytes();
    return out;
}

MendingPtr mendingOf(const RenderPlan &plan, int reduction, ExecContext &ctx)
{
    const SharedList<MendSpot> &spots = plan.recipe.mend.spots;
    if (std::none_of(spots.begin(), spots.end(), [](const MendSpot &spot) { return acts(spot); }))
        return nullptr;
    ExecContext merging = ctx.part(0.0, 0.9), mending = ctx.part(0.9, 1.0);
    const MergedPtr set = mergedOf(plan, reduction, merging);
    return plan.sources.cache->get<Mending>(
        plan.mendingKey(reduction), mending,
        [&](ExecContext &own) { return mendingUpTo(plan, *set, spots.size(), own); },
        [](const Mending &made) { return made.bytes(); });
}

std::vector<Point> mendSources(const RenderPlan &plan, size_t index, int reduction, size_t most, ExecContext &ctx)
{
    const SharedList<MendSpot> &spots = plan.recipe.mend.spots;
    if (index >= spots.size() || spots[index].points.empty())
        return {};
    ExecContext merging = ctx.part(0.0, 0.6), before = ctx.part(0.6, 0.7);
    const MergedPtr set = mergedOf(plan, reduction, merging);
    const Mending earlier = mendingUpTo(plan, *set, index, before);
    MendedLight light(set->pixels.radiance.view(), set->pixels.clipped.view());
    for (const auto &patch : earlier.patches)
        light.add(patch);
    before.throwIfStopped();
    const Placed spot = placed(plan, spots[index], set->reduction);
    std::vector<Point> out = mendSources(light, spot.stroke, most);
    // From the reference frame back to the one that it was drawn on.
    const Transform back = spot.here.inverted();
    const Point first = spots[index].points[0], there = spot.here(first);
    for (Point &way : out) {
        const Point at = back({there.x + way.x * set->reduction, there.y + way.y * set->reduction});
        way = {at.x - first.x, at.y - first.y};
    }
    return out;
}

} // namespace yolk
