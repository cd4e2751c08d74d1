// Areas as they are looked at.
#pragma once

#include "render/analysis/scene_histogram.h"
#include "render/plan/render_plan.h"

namespace yolk {

/// The mask of an area of the plan's recipe, by its index there, whether it acts or not: one plane of the request's size,
/// 0 to 1, 0 where the frame does not reach. Throws as render(); ArgumentError (no such area).
Image<float> areaMask(const RenderPlan &plan, size_t area, const RenderRequest &request, ExecContext &ctx);

/// How the light of the scene is spread inside it: shares of all pixels, so that it fits into that of the picture.
SceneHistogram areaHistogram(const RenderPlan &plan, size_t area, ExecContext &ctx);

} // namespace yolk
