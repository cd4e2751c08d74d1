// One frame in place of the merge: on the same pixels, and on request in the same brightness.
#pragma once

#include "render/plan/render_plan.h"

namespace yolk {

enum class FrameBrightness {
    LikePicture, ///< its light on the merge's scale, under the recipe's tone: what it adds and what it lacks stands out
    AsTaken      ///< by the file's own curve and exposure
};

/// Frame `frame` of Sources::frames, aligned where it is in use (as it was shot otherwise), cut at its clipping.
/// Display-linear RGB in [0, 1] of a space; without one, of recipe.output.space. The region is in pixels of the reference frame; one that is
/// empty is all of it. Throws as mergedOf; ArgumentError (frame, empty region). A radiance file is shown like the
/// picture.
Image<float> lookThrough(const RenderPlan &plan, size_t frame, FrameBrightness brightness, OutputSpace space,
                         const RenderRequest &request, ExecContext &ctx);

/// One frame as its file shows it: prepared like for the merge, but with the file's own curve and white balance, and
/// cut at its clipping. Display-linear sRGB in [0, 1]; radiance is cut at 1. `frame` counts in Sources::frames.
/// Throws InputError, Cancelled; ArgumentError (empty region, frame).
Image<float> lookAtFrame(const Sources &sources, size_t frame, const Recipe &recipe, const Measured &measured,
                         const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
