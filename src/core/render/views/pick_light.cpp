#include "render/views/pick_light.h"

#include "io/linear_codes.h"
#include "render/stages/frame_stage.h"
#include "render/stages/merge_stage.h"

#include <algorithm>

namespace yolk {

PickedLight pickLight(const Sources &sources, const Measured &measured, const Recipe &recipe,
                      std::optional<size_t> frame, double x, double y, ExecContext &ctx)
{
    const int reduction = previewReduction(sources);
    const RenderPlan plan(sources, measured, recipe);
    const Bracket &bracket = plan.bracket;
    const Frame &reference = plan.reference();
    if (!(x >= 0.0 && x < reference.width && y >= 0.0 && y < reference.height))
        throw ArgumentError("this place lies outside the picture");
    constexpr int kAcross = 9; // full-resolution pixels: one alone is noise
    const int reach = std::max(1, kAcross / (2 * reduction)), cx = int(x / reduction), cy = int(y / reduction);
    PickedLight out;
    const auto gather = [&](int width, int height, auto &&at) {
        for (int v = std::max(0, cy - reach); v <= std::min(height - 1, cy + reach); ++v)
            for (int u = std::max(0, cx - reach); u <= std::min(width - 1, cx + reach); ++u)
                at(u, v);
    };
    if (!frame) {
        const MergedPtr merged = mergedOf(plan, reduction, ctx);
        const Merged &pixels = merged->pixels;
        gather(pixels.radiance.width(), pixels.radiance.height(), [&](int u, int v) {
            out.clipped = out.clipped || pixels.clipped.row(0, v)[u] != 0;
            for (int c = 0; c < 3; ++c)
                out.rgb[size_t(c)] += double(pixels.radiance.row(c, v)[u]);
        });
        return out;
    }
    const auto shown = std::ranges::find_if(bracket.frames, [&](const BracketFrame &f) {
        return *frame < sources.frames.size() && f.frame->id == sources.frames[*frame]->id;
    });
    if (shown == bracket.frames.end() || !shown->usable)
        throw ArgumentError("this frame cannot be used: pick from another one, or from the merge");
    const DecodedPtr codes =
        prepared(sources, *shown->frame, preparationOf(*shown, measured, plan.recipe), reduction, ctx);
    gather(codes->width(), codes->height(), [&](int u, int v) {
        for (int c = 0; c < 3; ++c) {
            const double light = double(linearOfCode(codes->row(c, v)[u]));
            out.rgb[size_t(c)] += light;
            out.clipped = out.clipped || light >= kClippedFrom;
        }
    });
    return out;
}

} // namespace yolk
