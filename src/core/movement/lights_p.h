// Lights that moved, where a frame clips them: who shows them whole.
#pragma once

#include "movement/standing_p.h"

#include <span>
#include <vector>

namespace yolk {

/// What a frame clips, by what the others show there.
struct ClippedCells {
    Image<uint8_t> shown; ///< 1: some other frame shows it
    Image<uint8_t> alone; ///< 1: some do, and all of them show less light than it has at least
};
ClippedCells clippedCells(const std::vector<CellFrame> &frames, size_t frame);

/// 1 where `clipped.alone` is, in parts of what the frame clips of which that is the most: lights that moved. Where it is
/// a small part, something dark stands before a light in all others.
Image<uint8_t> loneCells(const CellFrame &frame, const ClippedCells &clipped);

/// 1 + index of the frame that decides in a cell in place of the place's keeper, 0: the keeper does.
/// A light that the keeper clips and that stands elsewhere in all others is taken whole from the frame that holds it,
/// with its glow: that frame decides wherever it differs from the keeper by that light, where it has it and where the
/// keeper has. Where something dark stands before a light in all others nothing can be taken.
/// `keepers`: one for each place. Threads: one, but for comparisons.
Image<uint16_t> lightsElsewhere(const std::vector<CellFrame> &frames, const Places &places,
                                std::span<const PlaceKeeper> keepers, CloseComparisons &close, ExecContext &ctx);

} // namespace yolk
