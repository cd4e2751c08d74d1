// How well the frames of a merge agree with what came of it.
#pragma once

#include "merge/radiance_merge.h"

#include <vector>

namespace yolk {

struct Agreement {
    double share = 0.0;        ///< of the light of the picture: mean over the pixels that some frame holds
    double differenceEv = 0.0; ///< median of log2(frame / merge) where the frame's SNR is 10 or more: near 0 when its
                               ///< exposure is right
    double sigmas =
        0.0; ///< robust RMS difference from the merge in units of the frame's noise; about 1 or less when only
             ///< noise lies between them, more with movement, misalignment or a wrong response
};

/// For each exposure, from one pixel in `step` x `step`: only pixels that the frame itself holds and has a share of
/// count.
/// Robust RMS: the median of the absolute value over 0.6745. Frames without such pixels keep zeros.
/// Throws ArgumentError (shapes that do not belong together). Threads: one. Memory: 8 bytes per pixel looked at.
std::vector<Agreement> agreementOf(std::span<const Exposure> exposures, const Merged &merged, int step);

} // namespace yolk
