// Where the lamp of a picture falls, found once for its two lights.
#pragma once

#include "frames/light_mixture.h"
#include "render/plan/render_plan.h"

#include <memory>

namespace yolk {

/// The lamp's light made white, place by place.
struct LampWhite {
    std::shared_ptr<const LightMixture> mixture;
    MixtureGains gains; ///< of `mixture`
    LampWhite(std::shared_ptr<const LightMixture> mixed, const RenderPlan &plan);
};
using LampWhitePtr = std::shared_ptr<const LampWhite>;

/// From the preview's decode, so that views of any size and the full picture agree; null where the recipe has no second
/// light or both are alike. Throws as mergedOf.
LampWhitePtr lampWhiteOf(const RenderPlan &plan, ExecContext &ctx);

} // namespace yolk
