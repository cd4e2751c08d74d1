#include "render/stages/movement_stage.h"

#include <algorithm>
#include <optional>

namespace yolk {

Movement movementOf(const RenderPlan &plan, const AlignedSet &aligned, int reduction, ExecContext &ctx)
{
    const Bracket &bracket = plan.bracket;
    const Recipe &recipe = plan.recipe;
    const auto used = bracket.used();
    const auto indexOf = [&](const std::string &id) -> std::optional<size_t> {
        const auto at = std::ranges::find(used, id, [](const BracketFrame *f) { return f->frame->id; });
        return at == used.end() ? std::nullopt : std::optional(size_t(at - used.begin()));
    };
    if (recipe.movement.mode == MovementMode::Off || used.size() < 2)
        return {};
    const std::string &reference = plan.reference().id;
    MovementRequest request{recipe.movement.sensitivity, indexOf(recipe.frames.keeper), indexOf(reference).value_or(0)};
    // Single pixels of frames that are not reduced lean on their neighbours: two by two from 0.8 megapixels on.
    request.mostCells = reduction == 1 ? 0.8e6 : 1.2e6;
    for (const HandRegion &region : recipe.movement.regions) {
        const auto frame = indexOf(region.frame);
        if (region.task == HandTask::TakeFrom && !frame)
            continue; // it is not merged: the place is as if nobody had said anything
        const Transform here = transformBetween(region.drawnOn, reference, plan.sources, plan.measured);
        DrawnRegion drawn{region.task, frame.value_or(0), region.radius / reduction, {}};
        for (const Point &p : region.points) {
            const Point q = here(p);
            drawn.points.push_back({q.x / reduction, q.y / reduction});
        }
        request.drawn.push_back(std::move(drawn));
    }
    std::vector<AlignedFrame> frames;
    for (size_t i = 0; i < used.size(); ++i) {
        const auto &trust = aligned.trust[i];
        frames.push_back({aligned.pixels[i]->view(), trust ? trust->view() : ImageView<const uint8_t>{},
                          used[i]->exposure / bracket.anchorExposure, used[i]->measured.noise});
    }
    return findMovement(frames, request, ctx);
}

} // namespace yolk
