// Dust on the sensor, found by what frames have in common that the scene has not.
#pragma once

#include "align/guide.h"
#include "align/warp.h"
#include "mend/mend_settings.h"

#include <span>
#include <vector>

namespace yolk {

/// A frame as dust is looked for in it: brought onto the reference frame, and the way back.
struct DustFrame {
    Guide guide;                                  ///< of its aligned codes
    Transform toFrame;                            ///< pixels
    const Displacements *displacements = nullptr; ///< beside it; null: none
};

/// A speck that dims light by up to `depth` in its middle, (1 - r^2 / R^2)^2 of that on the way to its rim.
struct FoundDust {
    DustSpot spot;         ///< pixels of the codes
    double depth = 0.0;    ///< share of the light
    double sureness = 0.0; ///< depth over its deviation
};

/// Small round darkenings of radii from 3 pixels of the finest level of the guides to 1 % of the diagonal, the surest first.
/// Where the scene moved between frames by more than their size, each frame is held against what the others show of the
/// same places: dust stays where it is on the sensor and the scene goes. At each place and radius the depth is the
/// weighted least-squares fit of a speck's shape and a level; its deviation follows from the frames' noise and what a small
/// slip of alignment does at edges, or from the disagreement round it where that is larger; edges that alignment left make both larger. What is taken has eight
/// deviations, 1.5 to 50 % of depth, is dark on all four sides with none of its surroundings darker than the rest, and frames agree
/// on it.
/// Where nothing moved, or one frame alone holds a place, it must also lie on light that is smooth all round, to a third of
/// its depth.
/// Shapes:  guides of one size, at least one. Throws ArgumentError, Cancelled. Threads: as OpenCV has it; the same bits.
/// Memory:  some 40 bytes per pixel of the finest level, beside the guides.
/// Source:  our own; least squares against a known shape. Eight deviations: by worlds 1 to 11, where 7.5 propose up to six wrong
/// ones in a picture, 8 mostly up to two, and 9 lose a tenth of what 8 find. Noise alone would need six.
std::vector<FoundDust> findDust(std::span<const DustFrame> frames, ExecContext &ctx);

} // namespace yolk
