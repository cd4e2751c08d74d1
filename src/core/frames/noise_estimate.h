// The noise of a camera, measured on the pixels of its frames.
#pragma once

#include "base/exec_context.h"
#include "frames/noise_model.h"
#include "image/image.h"

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// A small square of a frame: its mean, and its variance after smooth shading was taken away. Linear light.
struct NoiseBlock {
    float mean, variance;
};

/// The blocks of 8 x 8 that clip nowhere, of all three channels. `sharedBy[c]` says of how many sensor samples a pixel
/// of channel c is the mean: 1, 2, 1 for raw frames at half size. Shapes: linear codes, three planes, any size.
/// Throws ArgumentError, Cancelled. Threads: one. Memory: 8 bytes per block.
std::vector<NoiseBlock> noiseBlocks(ImageView<const uint16_t> codes, const std::array<int, 3> &sharedBy,
                                    ExecContext &ctx);

struct NoiseEstimate {
    NoiseModel model;
    bool readNoiseKnown = false; ///< false: less than 1 % of the blocks have 30 % of their variance from reading;
                                 ///< readVariance is then 0
};
/// Fits variance = gain * z + readVariance to the lower envelope of the blocks' variances over their means. In each bin
/// of like mean the smallest blocks are the smooth ones: how steeply their number grows tells the variance of noise
/// alone, however many others hold texture. Blocks of several frames of one camera at one ISO may be put together.
/// Empty when there are too few smooth blocks at too few brightnesses to tell.
/// Source: [Foi2008], with blocks in place of level sets and a tail count in place of their robust deviation.
std::optional<NoiseEstimate> estimateNoise(std::vector<NoiseBlock> blocks);

} // namespace yolk
