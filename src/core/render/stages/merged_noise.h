// The noise of a merged set, as adjustments ask for it.
#pragma once

#include "adjust/adjustment.h"
#include "render/stages/merge_stage.h"

namespace yolk {

/// From the first picture's merge, so that views of any size and the full picture agree; null where the noise of the
/// set is not known. Throws as mergedOf().
std::shared_ptr<const NoiseField> noiseFieldOf(const RenderPlan &plan, ExecContext &ctx);

} // namespace yolk
