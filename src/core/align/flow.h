// What makes a dense flow between two exposures of a scene better.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

namespace yolk {

/// Where `belief` (0 .. 1) falls short of 1 the flow becomes, by as much, the mean of what is believed nearby at like
/// tone: sums over cells of 16 pixels and one stop, in which poor cells take from coarser and coarser surroundings and,
/// far less, from neighbouring tones. Without anything believed it becomes 0.
/// Shapes: flow two planes, belief and tone (stops) one, all of one size. Throws ArgumentError, Cancelled. Threads:
/// bands; the same bits for any runner.
void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone, ExecContext &ctx);

/// The small correction of a flow, two planes, at most a pixel: one step of least squares of `still` - `moved`, both
/// log light, `moved` as the flow brings it, over pixels of like place and tone with `valid` above 0. Large differences
/// count little. Shapes: one plane each, all of one size. Throws ArgumentError, Cancelled.
/// Threads: bands; the same bits for any runner.
/// Source: [LucasKanade1981], over the cells of continueFlow().
Image<float> flowCorrection(ImageView<const float> still, ImageView<const float> moved, ImageView<const uint8_t> valid,
                            ImageView<const float> tone, ExecContext &ctx);

} // namespace yolk
