// What makes a dense flow between two exposures of a scene better.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

namespace yolk {

/// Where `belief` (0 .. 1) falls short of 1 the flow becomes, by as much, the mean of what is believed nearby at like
/// tone: sums over cells of 16 pixels and one stop, in which poor cells take from coarser and coarser surroundings and,
/// far less, from neighbouring tones. Without anything believed it becomes 0.
/// Shapes: flow two planes, belief and tone (stops) one, all of one size. Throws ArgumentError. Threads: one.
void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone);

/// What a flow leads from and to: log light (to the base e), and above 0 where it is known. `noise`: the mean difference
/// that noise alone makes; empty: none.
struct FlowSides {
    ImageView<const float> still;
    ImageView<const uint8_t> stillKnown;
    ImageView<const float> moving;
    ImageView<const uint8_t> movingKnown;
    ImageView<const float> noise{};
};

/// Every pixel takes the displacement of a place up to 32 pixels away where that explains better what is seen around
/// it: a flow found in blocks mixes near and far wherever things are smaller than these. What a displacement explains is
/// the mean difference of log light over 5 x 5 pixels; where that is small, or no more than noise makes of it, nothing is
/// looked for.
/// Shapes: one plane each, flow two, all of one size. Throws ArgumentError, Cancelled. Threads: bands; the same bits for
/// any runner. Memory: 24 bytes a pixel.
/// Source: propagation as in PatchMatch, [Barnes2009]; without its random search, which bent grain under dust.
void propagateFlow(const FlowSides &sides, Image<float> &flow, ExecContext &ctx);

/// The small correction of a flow, two planes, at most a pixel: one step of least squares of `still` - `moved`, both
/// log light, `moved` as the flow brings it, over pixels of like place and tone with `valid` above 0. Large differences
/// count little. Shapes: one plane each, all of one size. Throws ArgumentError. Threads: one.
/// Source: [LucasKanade1981], over the cells of continueFlow().
Image<float> flowCorrection(ImageView<const float> still, ImageView<const float> moved, ImageView<const uint8_t> valid,
                            ImageView<const float> tone);

} // namespace yolk
