// The transform between two frames of different exposure: directly from the light that both hold.
#pragma once

#include "align/guide.h"
#include "align/transform.h"

#include <optional>
#include <span>

namespace yolk {

struct Registration {
    Transform transform; ///< from the template to the other frame, pixels of the guides' first level
    MotionModel model = MotionModel::None;
    double residual = 0.0;  ///< pixels: RMS of what single places still lie apart, where texture tells
    double agreement = 0.0; ///< share of the textured places that show the same, mean over cells of the picture
    double overlap = 0.0;   ///< share of the template that the other frame covers
    double fit = 0.0;       ///< 0 .. 1: how near they come to differing by noise alone, mean over cells
    int places = 0;         ///< textured blocks that were looked at
    bool operator==(const Registration &) const = default;
};

/// What may be tried; Automatic takes the simplest that is not clearly worse than the others.
enum class ModelChoice { Automatic, Shift, Rigid, Similarity, Homography };

struct RegistrationOptions {
    ModelChoice model = ModelChoice::Automatic;
    int coarsest = 99, finest = 0; ///< levels of the guides that are worked on
    int iterations = 20;           ///< at the coarsest, at most
    double enough = 0.003;         ///< pixels of the finest level: a smaller step of a corner is the last
};

/// Gauss-Newton on log light, coarse to fine: blocks of 16 x 16 pixels, each with an unknown offset of its own that is
/// eliminated, so that vignetting and exposures that are a little wrong do not count; every difference is weighted by
/// the noise of both; blocks that do not agree (movement, parallax) lose their weight. Only pixels that clip in
/// neither.
/// Which of the two is the template does not matter in principle; the cleaner one converges faster.
/// Shapes: guides of any two sizes. Throws Cancelled. Threads: bands of blocks, the same bits for any runner.
/// Memory: 26 bytes per pixel of the finest level. Source: [LucasKanade1981], compositional as in [BakerMatthews2004];
/// the elimination of block means is our own.
Registration registerPair(const Guide &still, const Guide &moving, const Transform &start,
                          const RegistrationOptions &options, ExecContext &ctx);

} // namespace yolk
