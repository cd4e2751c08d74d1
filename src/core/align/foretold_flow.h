// What is known of depth from one frame, for the flow of another.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

#include <optional>

namespace yolk {

/// A dense flow from the reference to another frame, two planes, beside a homography, and how far it is believed, 0 to 1.
struct BelievedFlow {
    Image<float> flow, belief;
};

/// What the flow of one frame says of that of another: once a homography is taken out, both come of the same depths, and
/// each is a linear function of the other, whose coefficients change evenly over the picture. They are found where both
/// are believed; what errs far counts little. Empty where too little is believed.
/// Shapes: all of one size. Throws ArgumentError, Cancelled. Threads: bands; the same bits for any runner.
/// Source: plane and parallax, [IraniAnandan1996] (from memory).
std::optional<Image<float>> foretoldFlow(const BelievedFlow &known, const BelievedFlow &wanted, ExecContext &ctx);

} // namespace yolk
