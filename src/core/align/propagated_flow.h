// A dense flow at the borders of things: displacements that blocks could not tell apart.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

#include <span>

namespace yolk {

/// What a flow leads from and to: log light (to the base e), and above 0 where it is known. `noise`: the mean difference
/// that noise alone makes; empty: none.
struct FlowSides {
    ImageView<const float> still;
    ImageView<const uint8_t> stillKnown;
    ImageView<const float> moving;
    ImageView<const uint8_t> movingKnown;
    ImageView<const float> noise{};
};

/// Every pixel takes its displacement from one of the flows offered, then from places around it, in turn as far away as
/// `reaches` says, where that explains better what is seen around it: a flow found in blocks mixes near and far wherever
/// things are smaller than these. What a displacement explains is the mean difference of log light over 5 x 5 pixels;
/// where that is small, or no more than noise makes of it, nothing is looked for.
/// Shapes: one plane each, flows two, all of one size. Throws ArgumentError, Cancelled. Threads: bands; the same bits for
/// any runner. Memory: 20 bytes a pixel.
/// Source: propagation as in PatchMatch, [Barnes2009]; without its random search, which bent grain under dust. Places
/// are asked from far to near, as in jump flooding, [RongTan2006].
void propagateFlow(const FlowSides &sides, std::span<const Image<float>> offered, std::span<const int> reaches,
                   Image<float> &flow, ExecContext &ctx);

} // namespace yolk
