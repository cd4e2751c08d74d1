#include "render/stages/mend_stage.h"

#include "base/field_hash.h"
#include "colour/matrix_rows.h"
#include "mend/mend.h"
#include "mend/speck_shape.h"
#include "render/stages/align_stage.h"
#include "render/stages/returned_file.h"

#include <cmath>
#include <numbers>

namespace yolk {
namespace {

/// A spot as it lies on the reference frame made smaller, and what brings it there.
struct Placed {
    MendStroke stroke;
    Transform here; ///< from the frame that it was drawn on to the reference frame
};

/// Mean of a frame's share within a radius.
double shareWithin(const Image<uint8_t> &shares, int frame, const Point &at, double radius)
{
    double sum = 0.0, count = 0.0;
    for (int y = std::max(0, int(at.y - radius)); y <= std::min(shares.height() - 1, int(at.y + radius)); ++y)
        for (int x = std::max(0, int(at.x - radius)); x <= std::min(shares.width() - 1, int(at.x + radius)); ++x) {
            sum += double(shares.row(frame, y)[x]) / 255.0;
            ++count;
        }
    return count > 0.0 ? sum / count : 0.0;
}

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
    out.weave = int(spot.weave);
    out.feather = spot.feather / 100.0;
    out.strength = spot.strength / 100.0;
    return {std::move(out), here};
}

/// Dust of unknown depth that still shows where a frame has a share: no other shows the place clean. As spots of the merge.
std::vector<MendStroke> dustToFill(const RenderPlan &plan, const MergedSet &set)
{
    constexpr double kWider = 1.25, kBeyond = 1.0; // what a speck's shape leaves out; pixels
    constexpr double kLeastShare = 0.02;           // of a frame: less of its dust nobody sees
    std::vector<MendStroke> out;
    for (const DustSpot &spot : plan.recipe.mend.dust) {
        if (!spot.on || isDepthKnown(spot))
            continue;
        for (size_t i = 0; i < set.frameIds.size() && i < set.alignment.size(); ++i) {
            const Transform back = set.alignment[i].toReference.transform.inverted();
            const Point full = back({spot.x, spot.y}), at{full.x / set.reduction, full.y / set.reduction};
            const double radius = kWider * spot.radius / set.reduction + kBeyond;
            const bool isFilled = std::ranges::any_of(out, [&](const MendStroke &known) {
                return std::hypot(known.points[0].x - at.x, known.points[0].y - at.y) < 0.3 * radius;
            });
            if (!isFilled && shareWithin(set.pixels.shares, int(i), at, 0.5 * radius) > kLeastShare)
                out.push_back({.points = {at}, .radius = radius});
        }
    }
    return out;
}

/// Patches are kept under all that was said of them and of those before: what is changed last is made anew, the rest is
/// there.
Mending mendingUpTo(const RenderPlan &plan, const MergedSet &set, size_t count, ExecContext &ctx)
{
    Mending out;
    const SharedList<MendSpot> &spots = plan.recipe.mend.spots;
    Hash128 said = plan.mergedKey(set.reduction);
    MendedLight light(set.pixels.radiance.view(), set.pixels.clipped.view());
    const std::vector<MendStroke> dust = dustToFill(plan, set);
    const size_t all = dust.size() + count;
    const auto add = [&](size_t done, const Hash128 &key, const auto &strokeOf) {
        ctx.throwIfStopped();
        ctx.report(double(done) / double(all));
        ExecContext own = ctx.child({});
        said = key;
        auto patch = plan.sources.cache->get<MendPatch>(
            key, own, [&](ExecContext &) { return mended(light, strokeOf()); },
            [](const MendPatch &made) { return made.bytes(); });
        if (patch->area.empty())
            return;
        light.add(patch);
        out.patches.push_back(std::move(patch));
    };
    const auto begin = [&](Hasher &hasher) { hasher.value(StageKey::Mend).value(said.high).value(said.low); };
    for (size_t i = 0; i < dust.size(); ++i) {
        Hasher hasher;
        begin(hasher);
        hasher.text("dust").value(dust[i].points[0].x).value(dust[i].points[0].y).value(dust[i].radius);
        add(i, hasher.finish(), [&] {
            MendStroke stroke = dust[i];
            if (const std::vector<Point> sources = yolk::mendSources(light, stroke, 1); !sources.empty())
                stroke.source = sources.front();
            else
                stroke.way = MendWay::Woven;
            return stroke;
        });
    }
    for (size_t i = 0; i < count; ++i) {
        if (!acts(spots[i]) || isFromFrame(spots[i]))
            continue;
        Hasher hasher;
        begin(hasher);
        hashFields(hasher, spots[i], kMendSpotFields);
        add(dust.size() + i, hasher.finish(), [&] { return placed(plan, spots[i], set.reduction).stroke; });
    }
    ctx.report(1.0);
    return out;
}

/// What another program made of the light, over the whole merge: what was mended before is in it, and is asked only for
/// where that left nothing clipped.
Mending returnedLight(const RenderPlan &plan, const MergedSet &set, ExecContext &ctx)
{
    ExecContext mending = ctx.part(0.0, 0.2), reading = ctx.part(0.2, 0.8), placing = ctx.part(0.8, 1.0);
    MendedLight before(set.pixels.radiance.view(), set.pixels.clipped.view());
    for (const auto &patch : mendingUpTo(plan, set, plan.recipe.mend.spots.size(), mending).patches)
        before.add(patch);
    const ReturnedPicture &returned = plan.recipe.returnedLight;
    const Image<float> whole = readReturned(returned, reading);
    const Shape shape = set.pixels.radiance.shape();
    auto patch = std::make_shared<MendPatch>();
    patch->area = {0, 0, shape.width, shape.height};
    const RealRect region{0.0, 0.0, double(shape.width) * set.reduction, double(shape.height) * set.reduction};
    patch->light = partOfReturned(whole.view(), returned, region, shape.width, shape.height, placing);
    applyMatrix(inverse(balancedMatrix(set.colour, set.colour.neutral)), patch->light.view(), placing);
    patch->clipped = before.clipped(patch->area);
    return {{std::move(patch)}};
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
    const SharedList<DustSpot> &dust = plan.recipe.mend.dust;
    const bool isReturned = plan.recipe.returnedLight.isThere();
    if (!isReturned && std::none_of(spots.begin(), spots.end(), [](const MendSpot &spot) { return acts(spot); }) &&
        std::none_of(dust.begin(), dust.end(), [](const DustSpot &spot) { return spot.on && !isDepthKnown(spot); }))
        return nullptr;
    ExecContext merging = ctx.part(0.0, 0.9), mending = ctx.part(0.9, 1.0);
    const MergedPtr set = mergedOf(plan, reduction, merging);
    return plan.sources.cache->get<Mending>(
        plan.mendingKey(reduction), mending,
        [&](ExecContext &own) {
            return isReturned ? returnedLight(plan, *set, own) : mendingUpTo(plan, *set, spots.size(), own);
        },
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
