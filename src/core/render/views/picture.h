// The picture itself, whole or in part, at any size.
#pragma once

#include "colour/icc.h"
#include "render/plan/render_plan.h"

namespace yolk {

/// Display-linear RGB in [0, 1] of a space. Throws as sceneOf.
Image<float> render(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx);

/// The same in recipe.output.space.
Image<float> render(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
