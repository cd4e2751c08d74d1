// How much more light one frame got than another, from the pixels that both hold well.
#pragma once

#include "frames/places.h"
#include "image/image.h"

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// A difference of exposure and how far it can be trusted, both in EV.
struct ExposureStep {
    double ev = 0.0, standardError = 0.0;
    bool operator==(const ExposureStep &) const = default;
};

/// The same of one channel and of all: white balances of developed files may differ.
struct ChannelSteps {
    ExposureStep all;
    std::array<ExposureStep, 3> channels;
    bool operator==(const ChannelSteps &) const = default;
};

/// The step between two frames from places of the scene that both hold, channel by channel: bright = ratio * dark +
/// offset, where the offset is what a wrong black level does, and must not look like exposure; Tukey's weights, so that what moved does not count. Places are chosen by the geometric mean of both, as misplaced ones would
/// bias a choice by either. The scatter between tiles of the picture gives the standard errors.
/// `black` is how far black lies above 0 in both frames, of clipping. `lowest` is the least value of the dark frame that
/// says something.
/// Empty when too few places in too few tiles are held by both. Shapes: places of one grid. Throws ArgumentError.
/// Threads: one.
std::optional<ChannelSteps> stepBetween(std::span<const PlaceLight> dark, std::span<const PlaceLight> bright,
                                        const PlaceGrid &grid, double lowest, double black);

/// The offset bright - ratio * dark that fits each channel best, of clipping. As stepBetween() otherwise.
std::optional<std::array<double, 3>> offsetsBetween(std::span<const PlaceLight> dark,
                                                    std::span<const PlaceLight> bright, const PlaceGrid &grid,
                                                    double lowest);

/// log2 of the exposure ratio bright / dark: in each tile of a grid the sum of one frame's green over that of the
/// other, over pixels that lie well inside the range of the bright frame and have nothing clipped beside them; then the
/// median over the tiles. Choosing by the bright frame alone keeps the dark one's noise from biasing the ratio; the
/// scatter of the tiles gives the standard error, which grows with whatever moved or was not aligned.
/// Empty when too few pixels are held by both.
/// Shapes: linear codes of one shape, three planes. Throws ArgumentError. Threads: one.
/// Source: median of ratios, common practice, no published source.
std::optional<ExposureStep> exposureStep(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright);

/// A step between two frames of a set.
struct ExposureLink {
    size_t dark = 0, bright = 0;
    ExposureStep step;
};

/// Exposures (log2) that agree best with what frames state and with what was measured between them: least squares of
/// (e[bright] - e[dark] - step) / its error and (e[i] - stated[i]) / statedError. Frames without either keep their
/// distance to the frame before. The mean of the stated ones stays. `error[i]` is the standard error that stays of each.
/// Throws ArgumentError (no frames, a link's frame, error).
struct Exposures {
    std::vector<double> ev, error;
};
Exposures reconciledExposures(std::span<const std::optional<double>> stated, std::span<const ExposureLink> links,
                              double statedError);

} // namespace yolk
