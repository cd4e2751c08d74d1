// The fourth stage: one picture of all frames, in the reference's own RGB.
#pragma once

#include "merge/agreement.h"
#include "merge/radiance_merge.h"
#include "movement/movement.h"
#include "render/plan/render_plan.h"

#include <memory>
#include <string>
#include <vector>

namespace yolk {

/// A merged set in the reference frame's own linear RGB.
struct MergedSet {
    Merged pixels;
    CodeValues colour; ///< of the reference frame: how its RGB comes to Rec. 2020, as shot
    int reduction = 1;
    int fullWidth = 0, fullHeight = 0; ///< of the unreduced picture
    std::vector<std::string> frameIds; ///< of the share planes, dark to bright
    double clippedShare = 0.0;         ///< of the pixels: clipped in every frame
    std::vector<Agreement> agreement;  ///< of the frames with the merge, in the order of frameIds; none for radiance
    std::vector<FrameAlignment> alignment; ///< that was applied, in the order of frameIds, full-resolution pixels
    std::vector<double> believed;          ///< share of each frame's pixels that agree with the others, same order
    Movement movement;                     ///< what moved, in pixels of this size; frames in the order of frameIds
    bool ringsFilled = false;              ///< below zero round the lamps of a radiance file
    double seconds = 0.0;                  ///< that decoding and merging took
    size_t bytes() const;                  ///< that its pixels hold
    bool noiseKnown() const { return !agreement.empty(); } ///< not of a radiance file, which says nothing of it
};
using MergedPtr = std::shared_ptr<const MergedSet>;

/// Decodes at 1/reduction, prepares, aligns and merges the frames in use; radiance is read as it is. Throws InputError,
/// Cancelled.
MergedPtr mergedOf(const RenderPlan &plan, int reduction, ExecContext &ctx);

} // namespace yolk
