// A dense flow at the borders of things: displacements that blocks could not tell apart.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

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

/// Every pixel takes the displacement of a place up to 32 pixels away where that explains better what is seen around
/// it: a flow found in blocks mixes near and far wherever things are smaller than these. What a displacement explains is
/// the mean difference of log light over 5 x 5 pixels; where that is small, or no more than noise makes of it, nothing is
/// looked for.
/// Shapes: one plane each, flow two, all of one size. Throws ArgumentError, Cancelled. Threads: bands; the same bits for
/// any runner. Memory: 20 bytes a pixel.
/// Source: propagation as in PatchMatch, [Barnes2009]; without its random search, which bent grain under dust. Places
/// are asked from far to near, as in jump flooding, [RongTan2006].
void propagateFlow(const FlowSides &sides, Image<float> &flow, ExecContext &ctx);

} // namespace yolk
