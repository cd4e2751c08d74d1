// One frame in place of the merge: on the same pixels, and on request in the same brightness.
#pragma once

#include "render/render.h"

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
Image<float> lookThrough(const Sources &sources, size_t frame, FrameBrightness brightness, const Recipe &recipe,
                         const Measured &measured, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
