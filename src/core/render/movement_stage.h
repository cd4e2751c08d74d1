// The third stage: what moved between the frames on the reference's pixels.
#pragma once

#include "base/hash.h"
#include "render/align_stage.h"

namespace yolk {

/// What this stage reads of the recipe.
void hashMovement(const Recipe &recipe, Hasher &hasher);

/// What moved, as far as the recipe wants to know. Throws as findMovement().
Movement movementOf(const Sources &sources, const Bracket &bracket, const Measured &measured, const AlignedSet &aligned,
                    const Recipe &recipe, int reduction, ExecContext &ctx);

} // namespace yolk
