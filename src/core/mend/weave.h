// Filling a hole with many small pieces from round it.
#pragma once

#include "image/image.h"

namespace yolk {

struct Woven {
    Image<float> values; ///< as the input, its hole filled
    Image<int32_t>
        taken; ///< two planes: x and y of the pixel that stands at the middle of the piece here; -1: not filled
};

/// Every piece of 7 x 7 pixels that touches the hole is made to look like one that does not: nearest pieces are found by
/// propagation and chance, what lies in the hole is the mean of the pieces that overlap there, weighted by how near their
/// middles are and how far from what is known, and both are done in turns, from coarse to fine. Differs from the sources: squares
/// are taken over the deviation of a piece, and likeness weights no votes, so that contrast and grain stay. `weave` chooses one of several outcomes.
/// Shapes:  `values` of some planes, `hole` one, 1 where it is to be filled; both of one size. Where no whole piece
/// lies beside the hole it is filled smoothly.
/// Threads: one; the same bits for the same input.
/// Source:  [Barnes2009] for nearest pieces, [Wexler2007] for the turns and weights.
Woven woven(ImageView<const float> values, ImageView<const uint8_t> hole, int weave);

} // namespace yolk
