// The third stage: what moved between the frames on the reference's pixels.
#pragma once

#include "movement/movement.h"
#include "render/stages/align_stage.h"

namespace yolk {

/// What moved, as far as the recipe wants to know. Throws as findMovement().
Movement movementOf(const RenderPlan &plan, const AlignedSet &aligned, int reduction, ExecContext &ctx);

} // namespace yolk
