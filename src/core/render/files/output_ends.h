// What a finished picture does at the two ends of its range, and how its values are spread between them.
#pragma once

#include "base/exec_context.h"
#include "colour/icc.h"
#include "image/image.h"
#include "render/views/inspect.h"

#include <array>

namespace yolk {

/// Which channels must have reached an end for a pixel to count.
enum class EndsOf { Any, All, Red, Green, Blue };

/// Codes of 8 bits that nothing lies beyond: 255 and 0. Values of Hatch.
enum class OutputEnd : uint8_t {
    None = uint8_t(Hatch::None),
    White = uint8_t(Hatch::EndsWhite),
    Black = uint8_t(Hatch::EndsBlack)
};

/// Marks each pixel. A pixel of which one channel is white and another black counts as white.
/// Shapes: display-linear RGB in [0, 1], three planes; one plane of OutputEnd out. NaN is black, as when it is coded.
/// Threads: bands; the same bits for any runner.
Image<uint8_t> outputEnds(ImageView<const float> display, EndsOf channels, ExecContext &ctx);

/// Shares of pixels by code value, 0 to 255, sRGB-coded.
struct OutputHistogram {
    static constexpr int kLuminance = 3; ///< behind red, green and blue
    std::array<std::array<float, 256>, 4> shares{};
    double white = 0.0, black = 0.0; ///< shares of the pixels of which any channel stands at an end
    bool operator==(const OutputHistogram &) const = default;
};

/// `reached`: which pixels count, one plane of 0 and 1; without pixels: all.
/// Shapes: display-linear RGB of `space`, three planes, at least 1 x 1. Throws Cancelled. Threads: one.
OutputHistogram outputHistogram(ImageView<const float> display, OutputSpace space, ExecContext &ctx,
                                ImageView<const uint8_t> reached = {});

} // namespace yolk
