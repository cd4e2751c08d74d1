// The second stage: prepared frames on the pixels of the reference frame.
#pragma once

#include "align/warp.h"
#include "render/frame_stage.h"

namespace yolk {

struct AlignedSet {
    std::vector<DecodedPtr> pixels;                           ///< in the order of Bracket::used()
    std::vector<std::shared_ptr<const Image<uint8_t>>> trust; ///< as in align/warp.h; nullptr: believed everywhere
    std::vector<Displacements> displacements;                 ///< beside the transforms; empty ones: none
    std::vector<FrameAlignment> alignment;                    ///< full-resolution pixels
    std::vector<double> believed;                             ///< share of the pixels that a frame shows
    size_t bytes() const;
};

/// Decodes, prepares and aligns the frames in use. At full size motions are refined first. Throws as prepared().
std::shared_ptr<const AlignedSet> alignedSet(const Sources &sources, const Bracket &bracket, const Measured &measured,
                                             const Recipe &recipe, int reduction, ExecContext &ctx);

/// How the frame was found to lie: what that changes belongs into the key of every stage that reads it.
void hashAlignment(const Measured &measured, const BracketFrame &frame, Hasher &hasher);

} // namespace yolk
