// The fifth stage: parts of the merge as scene light under a white balance, at the size of a view.
#pragma once

#include "render/stages/merge_stage.h"

namespace yolk {

/// Linear Rec. 2020, 1.0 = clipping of the anchor; made smaller it is averaged as LightCode says. Throws as mergedOf;
/// ArgumentError on an empty region.
/// The white balance is applied here: a change of it leaves the merge as it is.
PicturePtr sceneOf(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
