// What alignment looks at: one plane of light per frame, on a common scale, at falling sizes.
#pragma once

#include "base/exec_context.h"
#include "frames/noise_model.h"
#include "image/image.h"

#include <vector>

namespace yolk {

/// A frame as alignment takes it: linear codes (io/linear_codes.h), three planes.
struct FrameToAlign {
    ImageView<const uint16_t> codes;
    double exposure = 1.0; ///< relative; a scale that all frames share
    NoiseModel noise;
};

/// (R + 2 G + B) / 4 over the exposure, one level.
struct GuideLevel {
    Image<float> light;
    Image<uint8_t> valid; ///< 1 where no channel of any pixel under it clips
};

struct Guide {
    int width = 0, height = 0; ///< of the codes
    std::vector<GuideLevel>
        levels; ///< each half as large as the one before, the first as the codes; those that are too
                ///< large to be worked on are empty
    double exposure = 1.0;
    NoiseModel noise; ///< of one code of one channel at the first level
    /// Variance of the light of a pixel at a level.
    double variance(double light, int level) const;
    /// The first level of at most so many pixels; the last one when all have more.
    int levelOf(double pixels) const;
};

/// Levels until the shorter side is below 40 pixels; those of more than `finestPixels` are not kept.
/// Shapes: three planes, at least 1 x 1. Throws ArgumentError, Cancelled. Threads: bands; the same bits for any runner.
/// Memory: 7 bytes per pixel kept, 7 per pixel of the frame while it runs.
Guide guideOf(const FrameToAlign &frame, double finestPixels, ExecContext &ctx);

/// The same with all light above `clipping` at `clipping`, and all of it valid: for frames that have little in common
/// but the outlines of what clips.
Guide cutAt(const Guide &guide, double clipping);

} // namespace yolk
