// Dust on the sensor of worlds that nobody has seen: how much of it is found, what is proposed that is none, and how true
// the light is where it was taken.
#include "benchmarks.h"
#include "opened_set.h"
#include "scenes.h"
#include "worlds/world.h"

#include "render/stages/dust_stage.h"
#include "render/stages/mend_stage.h"
#include "render/stages/merge_stage.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>

namespace yolk::bench {
namespace {

constexpr int kSpecks = 12;

/// By how much green light within a radius is off, as a share of it.
double lightApart(const Image<float> &got, const Image<float> &want, const Point &at, double radius)
{
    double sum = 0.0, count = 0.0;
    for (int y = std::max(0, int(at.y - radius)); y <= std::min(got.height() - 1, int(at.y + radius)); ++y)
        for (int x = std::max(0, int(at.x - radius)); x <= std::min(got.width() - 1, int(at.x + radius)); ++x)
            if (std::hypot(x + 0.5 - at.x, y + 0.5 - at.y) < radius) {
                sum += double(got.row(1, y)[x]) - double(want.row(1, y)[x]);
                count += double(want.row(1, y)[x]);
            }
    return count > 0.0 ? std::abs(sum / count) : 0.0;
}

/// Most of how a frame holds the light at a place: it is neither clipped there nor lost in noise.
bool isHeld(const RenderPlan &plan, const BracketFrame &f, const Point &at, ExecContext &ctx)
{
    const DecodedPtr codes = decoded(plan.sources, *f.frame, 1, ctx);
    const int x = std::clamp(int(at.x), 0, codes->width() - 1), y = std::clamp(int(at.y), 0, codes->height() - 1);
    const double z = double(linearOfCode(codes->row(1, y)[x]));
    const double most = double(linearOfCode(std::max({codes->row(0, y)[x], codes->row(1, y)[x], codes->row(2, y)[x]})));
    return most < 0.9 && z > f.measured.noise.levelOfSnr(10.0);
}

int framesThatHold(const RenderPlan &plan, const demo::Speck &speck, ExecContext &ctx)
{
    return int(std::ranges::count_if(plan.bracket.used(), [&](const BracketFrame *f) {
        return isHeld(plan, *f, {speck.x, speck.y}, ctx);
    }));
}

/// Whether another frame holds what the reference shows under a speck, in the middle and all round, and has no dust there.
bool isCleanElsewhere(const RenderPlan &plan, const std::vector<demo::Speck> &specks, const demo::Speck &speck,
                      ExecContext &ctx)
{
    const auto used = plan.bracket.used();
    const std::vector<FrameAlignment> &alignment = mergedOf(plan, 1, ctx)->alignment;
    for (size_t i = 0; i < used.size(); ++i) {
        if (used[i]->frame->id == plan.reference().id)
            continue;
        const Point at = alignment[i].toReference.transform.inverted()({speck.x, speck.y});
        const double r = speck.radius;
        if (at.x < r || at.y < r || at.x > plan.reference().width - r || at.y > plan.reference().height - r ||
            std::ranges::any_of(specks, [&](const demo::Speck &other) {
                return std::hypot(other.x - at.x, other.y - at.y) < 1.5 * (r + other.radius);
            }))
            continue;
        const std::array places{at, Point{at.x - r, at.y}, Point{at.x + r, at.y}, Point{at.x, at.y - r},
                                Point{at.x, at.y + r}};
        if (std::ranges::all_of(places, [&](const Point &place) { return isHeld(plan, *used[i], place, ctx); }))
            return true;
    }
    return false;
}

} // namespace

void benchDust(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(20);
    double found = 0.0, all = 0.0, foundHeld = 0.0, held = 0.0, worlds = 0.0;
    std::vector<double> wrong, errors, errorsClean, before, looked;
    for (uint64_t seed = first; seed < first + count; ++seed) {
        worlds::World world = worlds::worldOf(seed);
        if (!world.isHandHeld())
            continue;
        ++worlds;
        const std::string folder = std::filesystem::temp_directory_path().string() + "/yolk-dust";
        const std::array radii{4.0, 6.0, 10.0};
        const std::array depths{0.03, 0.06, 0.15};
        const OpenedSet clean = openSet(worlds::shoot(world, folder + "-clean", ctx).paths, ctx);
        world.lens.dustSpots = kSpecks;
        world.lens.dustSeed = seed;
        world.lens.dustRadius = radii[seed % 3];
        world.lens.dustDepth = depths[seed / 3 % 3];
        const OpenedSet set = openSet(worlds::shoot(world, folder, ctx).paths, ctx);
        const RenderPlan plan(set.sources, set.measured, {});
        std::vector<FoundDust> dust;
        looked.push_back(medianSeconds(1, [&] { dust = dustOf(plan, ctx); }));
        const std::vector<demo::Speck> specks =
            demo::specksOf(world.lens, plan.reference().width, plan.reference().height);
        std::vector<bool> isTrue(dust.size());
        Recipe taken;
        std::vector<DustSpot> spots;
        std::vector<bool> isClean;
        double hits = 0.0, heldHere = 0.0, heldHits = 0.0;
        for (const demo::Speck &speck : specks) {
            const bool twoHold = framesThatHold(plan, speck, ctx) >= 2;
            bool hit = false;
            for (size_t i = 0; i < dust.size(); ++i)
                if (std::hypot(dust[i].spot.x - speck.x, dust[i].spot.y - speck.y) < speck.radius) {
                    hit = isTrue[i] = true;
                    spots.push_back(dust[i].spot);
                    isClean.push_back(isCleanElsewhere(plan, specks, speck, ctx));
                }
            hits += hit;
            heldHere += twoHold;
            heldHits += hit && twoHold;
        }
        all += double(specks.size());
        found += hits;
        held += heldHere;
        foundHeld += heldHits;
        wrong.push_back(double(std::ranges::count(isTrue, false)));
        taken.mend.dust = spots;
        const auto lightOf = [&](const OpenedSet &of, const Recipe &recipe) {
            const RenderPlan own(of.sources, of.measured, recipe);
            const MergedPtr merged = mergedOf(own, 1, ctx);
            const MendingPtr mending = mendingOf(own, 1, ctx);
            MendedLight light(merged->pixels.radiance.view(), merged->pixels.clipped.view());
            for (const auto &patch : mending ? mending->patches : MendPatches())
                light.add(patch);
            return light.light({0, 0, light.width(), light.height()});
        };
        const Image<float> truth = lightOf(clean, {}), dusty = lightOf(set, {}), mended = lightOf(set, taken);
        for (size_t i = 0; i < spots.size(); ++i) {
            const DustSpot &spot = spots[i];
            errors.push_back(lightApart(mended, truth, {spot.x, spot.y}, 0.6 * spot.radius));
            if (isClean[i])
                errorsClean.push_back(errors.back());
            before.push_back(lightApart(dusty, truth, {spot.x, spot.y}, 0.6 * spot.radius));
        }
        std::printf(
            "%s\n",
            textOf("world %llu (%s): radius %.0f, depth %.2f: %.0f of %zu found, of %.0f held ones %.0f; %.0f wrong",
                   static_cast<unsigned long long>(seed), world.words().c_str(), world.lens.dustRadius,
                   world.lens.dustDepth, hits, specks.size(), heldHere, heldHits, wrong.back())
                .c_str());
    }
    if (worlds == 0.0)
        return;
    report.add("dust.worlds", worlds, "of them hand-held");
    report.add("dust.found_share", found / all, "of all specks of 4, 6, 10 px and 3, 6, 15 % in the middle");
    report.add("dust.found_share_held", foundHeld / std::max(1.0, held),
               "of those that two frames hold, at least 0.95");
    report.add("dust.wrong.median", percentile(wrong, 0.5), "proposals a picture that are no dust");
    report.add("dust.wrong.max", percentile(wrong, 1.0), "at most 2");
    report.add("dust.error_before.median", percentile(before, 0.5), "share of light, under specks found, before");
    report.add("dust.error.median", percentile(errors, 0.5), "the same once they are taken");
    report.add("dust.error.p95", percentile(errors, 0.95), "the same, wherever they lie");
    report.add("dust.error_clean.places", double(errorsClean.size()), "that another frame shows without dust");
    report.add("dust.error_clean.median", percentile(errorsClean, 0.5), "the error there");
    report.add("dust.error_clean.p95", percentile(errorsClean, 0.95), "at most 0.02");
    report.add("dust.seconds.median", percentile(looked, 0.5), "for a set of 1 megapixel");
}

} // namespace yolk::bench
