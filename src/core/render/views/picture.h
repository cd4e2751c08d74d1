// The picture itself, whole or in part, at any size.
#pragma once

#include "colour/icc.h"
#include "render/plan/render_plan.h"
#include "tone/output_light.h"

namespace yolk {

/// Display-linear RGB of a space in [0, 1], or up to the peak of its lights. Throws as sceneOf.
Image<float> render(const RenderPlan &plan, const OutputLight &output, const RenderRequest &request, ExecContext &ctx);

/// The same in recipe.output.space.
Image<float> render(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
