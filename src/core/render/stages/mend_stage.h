// What is mended, on the merge: pieces that lie over its pixels.
#pragma once

#include "mend/mended_light.h"
#include "render/stages/merge_stage.h"

namespace yolk {

/// In pixels of the merge at a reduction.
struct Mending {
    MendPatches patches;
    size_t bytes() const;
};
using MendingPtr = std::shared_ptr<const Mending>;

/// Of the merge at that reduction; null: nothing is mended. Throws as mergedOf().
MendingPtr mendingOf(const RenderPlan &plan, int reduction, ExecContext &ctx);

/// Places that a spot could be mended with, by how well they would fit, the best first: the way there as in
/// MendSpot::sourceX, pixels of the frame that it was drawn on. Found in the merge at that reduction, as it is mended by
/// those before `index` of the plan's. At most `most`, fewer where the picture is small.
std::vector<Point> mendSources(const RenderPlan &plan, size_t index, int reduction, size_t most, ExecContext &ctx);

} // namespace yolk
