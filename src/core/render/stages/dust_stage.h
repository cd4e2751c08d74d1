// Dust on the sensor: found in the frames, and kept out of the merge wherever another frame shows the place clean.
#pragma once

#include "mend/dust.h"
#include "render/stages/align_stage.h"

namespace yolk {

/// In the frames in use that have the reference's size, pixels of the frames; the surest first. Frames of more than 6.5
/// megapixels are looked at reduced. Throws as prepared().
std::vector<FoundDust> dustOf(const RenderPlan &plan, ExecContext &ctx);

/// The same frames, which are believed less where dust lies in them: but only where some other frame shows the place, has no
/// dust there, and holds the light. What was given back of a speck of known depth is believed as far as that may be
/// off; a speck of unknown depth is not believed, and the other frame is, as what it contradicts may be the dust. Then
/// without displacements. Nothing is copied where there is no dust. Throws Cancelled.
std::shared_ptr<const AlignedSet> withoutDust(const RenderPlan &plan, std::shared_ptr<const AlignedSet> aligned,
                                              int reduction, ExecContext &ctx);

} // namespace yolk
