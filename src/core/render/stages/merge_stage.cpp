#include "render/stages/merge_stage.h"

#include "frames/overshoot.h"
#include "render/stages/align_stage.h"
#include "render/stages/dust_stage.h"
#include "render/stages/merged_store.h"
#include "render/stages/movement_stage.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace yolk {
namespace {

MergedSet emptySet(const Frame &reference, int reduction)
{
    MergedSet out;
    out.colour = reference.codeValues;
    out.reduction = reduction;
    out.fullWidth = reference.width;
    out.fullHeight = reference.height;
    return out;
}

/// A picture that is merged already: nothing clips, all of it is its own but for rings below zero round its lamps.
MergedSet readMerged(const Frame &frame, int reduction, ExecContext &ctx)
{
    MergedSet out = emptySet(frame, reduction);
    ExecContext reading = ctx.part(0.0, 0.9), filling = ctx.part(0.9, 1.0);
    out.pixels.radiance = decodeRadiance(frame, reduction, reading);
    out.ringsFilled = fillOvershoot(out.pixels.radiance, filling) > 0;
    const Shape shape = out.pixels.radiance.shape();
    out.pixels.variance = Image<uint16_t>(shape); // of which nothing is known
    out.pixels.shares = Image<uint8_t>(shape.width, shape.height, 1);
    out.pixels.clipped = Image<uint8_t>(shape.width, shape.height, 1);
    for (int y = 0; y < shape.height; ++y)
        std::fill_n(out.pixels.shares.row(0, y), shape.width, uint8_t(255));
    out.frameIds = {frame.id};
    return out;
}

/// What moved is decided once, in the first picture, so that the full one shows the same states.
Movement decidedMovement(const RenderPlan &plan, const AlignedSet &aligned, int reduction, ExecContext &ctx)
{
    const int first = previewReduction(plan.sources);
    if (reduction >= first)
        return movementOf(plan, aligned, reduction, ctx);
    const Shape shape = aligned.pixels.front()->shape();
    return enlarged(mergedOf(plan, first, ctx)->movement, first / reduction, shape.width, shape.height);
}

MergedSet merge(const RenderPlan &plan, int reduction, ExecContext &ctx)
{
    const auto start = std::chrono::steady_clock::now();
    const auto used = plan.bracket.used();
    const Frame &reference = plan.reference();
    if (reference.isRadiance())
        return readMerged(reference, reduction, ctx);
    ExecContext decoding = ctx.part(0.0, 0.8); // measured: decoding takes most of the time
    const auto aligned = withoutDust(plan, alignedSet(plan, reduction, decoding), reduction, decoding);
    std::vector<Exposure> exposures;
    for (size_t i = 0; i < used.size(); ++i) {
        const auto &trust = aligned->trust[i];
        exposures.push_back({aligned->pixels[i]->view(), used[i]->exposure / plan.bracket.anchorExposure,
                             used[i]->measured.noise, used[i]->influence,
                             trust ? trust->view() : ImageView<const uint8_t>{}});
    }
    ExecContext comparing = ctx.part(0.8, 0.9), merging = ctx.part(0.9, 1.0);
    MergedSet out = emptySet(reference, reduction);
    out.movement = decidedMovement(plan, *aligned, reduction, comparing);
    for (size_t i = 0; i < exposures.size(); ++i)
        if (!out.movement.places.empty()) {
            exposures[i].movement = out.movement.grids[i].view();
            exposures[i].movementCell = out.movement.cell;
        }
    out.pixels = mergeRadiance(exposures, reference.codeValues.neutral, merging);
    constexpr double kSamples = 60000.0; // pixels that are looked at: medians need no more
    const int step = std::max(1, int(std::sqrt(double(out.pixels.radiance.shape().pixels()) / kSamples)));
    out.agreement = agreementOf(exposures, out.pixels, step);
    for (const BracketFrame *f : used)
        out.frameIds.push_back(f->frame->id);
    out.alignment = aligned->alignment;
    out.believed = aligned->believed;
    long long clipped = 0;
    for (int y = 0; y < out.pixels.clipped.height(); ++y) {
        const uint8_t *row = out.pixels.clipped.row(0, y);
        clipped += std::count_if(row, row + out.pixels.clipped.width(), [](uint8_t v) { return v > 0; });
    }
    out.clippedShare = double(clipped) / double(out.pixels.clipped.shape().pixels());
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return out;
}

} // namespace

size_t MergedSet::bytes() const
{
    return pixels.radiance.bytes() + pixels.variance.bytes() + pixels.shares.bytes() + pixels.clipped.bytes() +
           movement.bytes();
}

MergedPtr mergedOf(const RenderPlan &plan, int reduction, ExecContext &ctx)
{
    const auto make = [&](ExecContext &own) {
        if (const auto &store = plan.sources.store; store && !plan.reference().isRadiance())
            if (auto kept = store->find(plan.mergedKey(reduction), own)) {
                kept->colour = plan.reference().codeValues;
                return std::move(*kept);
            }
        return merge(plan, reduction, own);
    };
    return plan.sources.cache->get<MergedSet>(plan.mergedKey(reduction), ctx, make,
                                              [](const MergedSet &m) { return m.bytes(); });
}

} // namespace yolk
