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
    const Image<uint8_t> *trust = nullptr;        ///< as in align/warp.h, one plane of the codes; null: all is believed
};

struct FoundDust {
    DustSpot spot;      ///< pixels of the codes
    double score = 0.0; ///< log odds that it is dust; on still light a measure without that meaning
};

/// Small round darkenings of radii from 3 pixels of the finest level of the guides to 1 % of the diagonal, the surest first.
/// Where the scene moved between frames by about their size or more, each frame is held against what the others show of the
/// same places: dust stays where it is on the sensor and the scene goes. Where the weighted least-squares fit of a speck's
/// shape and a level stands out of its noise and of the scatter round it, the place is judged: in each frame depth, level, a
/// slip of alignment and a difference of sharpness are fitted together, and what speaks for dust (how sure, how far frames
/// agree, how round, how alone, whether light itself shows it) makes log odds, of which 1 are taken.
/// Where nothing moved, or one frame alone holds a place, it must stand out by eight deviations, be dark on all four sides
/// with none of its surroundings darker than the rest, and lie on light that is smooth all round, to a third of its depth.
/// Shapes:  guides of one size, at least one. Throws ArgumentError, Cancelled. Threads: as OpenCV has it; the same bits.
/// Memory:  some 45 bytes per pixel of the finest level and frame, beside the guides.
/// Source:  our own; least squares against a known shape. Least odds and deviations: by worlds for work (below 1000).
std::vector<FoundDust> findDust(std::span<const DustFrame> frames, ExecContext &ctx);

} // namespace yolk
