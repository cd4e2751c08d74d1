// What a rendered picture made of scene light, measured on its pixels.
#pragma once

#include "base/exec_context.h"
#include "colour/icc.h"
#include "image/image.h"

#include <array>

namespace yolk {

/// Median display lightness (L*) of the pixels of each EV bin; bins without pixels take what lies between their
/// neighbours.
struct ToneResponse {
    static constexpr double kFirstEv = -20.0, kBinEv = 0.25;
    static constexpr int kBins = 160;
    std::array<float, kBins> lightness{};
    bool operator==(const ToneResponse &) const = default;
};

/// Shapes: linear Rec. 2020 and the display-linear RGB of `space` made from it, three planes each and of one size.
/// Throws ArgumentError, Cancelled. Light beyond the bins counts in the last ones.
ToneResponse toneResponse(ImageView<const float> scene, ImageView<const float> display, OutputSpace space,
                          ExecContext &ctx);

} // namespace yolk
