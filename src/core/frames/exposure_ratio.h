// How much more light one frame got than another, from the pixels that both hold well.
#pragma once

#include "image/image.h"

#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// A difference of exposure and how far it can be trusted, both in EV.
struct ExposureStep {
    double ev = 0.0, standardError = 0.0;
    bool operator==(const ExposureStep &) const = default;
};

/// log2 of the exposure ratio bright / dark: in each tile of a grid the sum of one frame's green over that of the
/// other, over pixels that lie well inside the range of the bright frame and have nothing clipped beside them; then the
/// median over the tiles. Choosing by the bright frame alone keeps the dark one's noise from biasing the ratio; the
/// scatter of the tiles gives the standard error, which grows with whatever moved or was not aligned.
/// Empty when too few pixels are held by both.
/// Shapes: linear codes of one shape, three planes. Throws ArgumentError. Threads: one.
/// Source: median of ratios, common practice, no published source.
std::optional<ExposureStep> exposureStep(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright);

/// Exposures (log2) that agree best with what frames state and with what was measured between neighbours: least squares
/// of (e[i+1] - e[i] - step[i]) / its error and (e[i] - stated[i]) / statedError. Frames without either keep their
/// distance to the frame before. The mean of the stated ones stays. `steps[i]` lies between frames i and i + 1.
/// Throws ArgumentError (counts differ).
std::vector<double> reconciledExposures(std::span<const std::optional<double>> stated,
                                        std::span<const std::optional<ExposureStep>> steps, double statedError);

} // namespace yolk
