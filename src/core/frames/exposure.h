// From what a camera marks to the light that reached the sensor. Source: [ISO2720], APEX.
#pragma once

#include "io/metadata.h"

#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// log2(N^2 / t) at ISO 100.
double exposureValue(double fNumber, double seconds);

/// The light one setting lets in, up to a constant of the scene: t * ISO / N^2.
double relativeExposure(double seconds, double fNumber, double iso);

/// Marked values are rounded: 1/30 s stands for 1/32 s, f/5.6 for 5.657. The family of steps that fits a whole set:
enum class StepFamily { Thirds, Halves, AsWritten };

/// The family in which every marked shutter time lies within 0.096 EV of a step and the sum of distances is least:
/// thirds or halves of a stop, else AsWritten (odd electronic times). Empty input gives Thirds.
StepFamily stepFamilyOf(std::span<const double> markedSeconds);

/// The exact value of a marked shutter time: 2^(k/3) or 2^(k/2) s.
double exactSeconds(double markedSeconds, StepFamily family);
/// The exact value of a marked aperture: f-numbers are steps of 2^(1/6) (thirds) or 2^(1/4) (halves).
double exactFNumber(double marked, StepFamily family);

/// The relative exposure of each frame of a set, in the order given; empty where metadata does not say it.
/// ShutterSpeedValue counts for odd times when it lies within 0.12 EV of ExposureTime, or stands alone. A missing
/// aperture or ISO is taken as that of the other frames when these agree, else as f/8 and ISO 100.
std::vector<std::optional<double>> statedExposures(std::span<const Metadata> set);

} // namespace yolk
