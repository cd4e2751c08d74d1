// The second stage: prepared frames on the pixels of the reference frame.
#pragma once

#include "align/warp.h"
#include "render/stages/frame_stage.h"

namespace yolk {

struct AlignedSet {
    int reduction = 1;                                        ///< what pixels and displacements are counted in
    std::vector<DecodedPtr> pixels;                           ///< in the order of Bracket::used()
    std::vector<std::shared_ptr<const Image<uint8_t>>> trust; ///< as in align/warp.h; nullptr: believed everywhere
    std::vector<Displacements> displacements;                 ///< beside the transforms; empty ones: none
    std::vector<FrameAlignment> alignment;                    ///< full-resolution pixels
    std::vector<double> believed;                             ///< share of the pixels that a frame shows
    size_t bytes() const;
};

/// Decodes, prepares and aligns the frames in use. At full size motions are refined first; displacements are those of the
/// first picture where that is as fine as what they would be looked for in. Throws as prepared().
std::shared_ptr<const AlignedSet> alignedSet(const RenderPlan &plan, int reduction, ExecContext &ctx);

/// What is kept of the reference frame, in its pixels.
Rect croppedArea(const RenderPlan &plan);

/// What of the picture's plane the picture is: the crop, without what the frames kept do not show unless corners are
/// left empty. Full-resolution pixels of the plane, at least one.
Rect pictureArea(const RenderPlan &plan);

/// From a point of one frame to where the same thing lies in another, full-resolution pixels of both, frames by content
/// id; the identity where nothing is known of one of them.
Transform transformBetween(const std::string &from, const std::string &to, const Sources &sources,
                           const Measured &measured);

} // namespace yolk
