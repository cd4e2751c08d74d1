// Where things moved, for alignment: what it must not follow.
#pragma once

#include "align/seen_level.h"

#include <span>

namespace yolk {

/// A frame on the reference's pixels at one level of the guides.
struct GroundFrame {
    SeenLevel seen;
    double gain = 0.0, read = 0.0; ///< variance of a pixel's light l is gain * l + read
};

struct MovedGround {
    int cell = 1;           ///< pixels of the level to a cell
    Image<uint8_t> moved{}; ///< 1 in the cells of things that moved, with a wide margin; empty: it was not looked for
};

/// Of each frame, where it shows another thing than the reference.
/// Shapes: frames of one size, dark to bright. Throws ArgumentError, Cancelled. Threads: bands; the same bits for any
/// runner.
std::vector<MovedGround> movedGround(std::span<const GroundFrame> frames, size_t reference, ExecContext &ctx);

} // namespace yolk
