// Whether a set holds its scene, and what each frame adds to that.
#pragma once

#include "frames/bracket.h"

#include <string>
#include <vector>

namespace yolk {

struct FrameCoverage {
    double needed = 0.0;    ///< share of the pixels that clip or fall below a signal-to-noise ratio of 10 without it
    double gainStops = 0.0; ///< mean gain in signal-to-noise ratio that it brings, in stops
};

struct Coverage {
    double clipped = 0.0; ///< share of the pixels that clip in every frame in use
    double dark = 0.0;    ///< share of the pixels below a signal-to-noise ratio of 1 in all of them together
    std::vector<FrameCoverage> frames; ///< in the order of the bracket; 0 where not in use
    /// Indices of frames in use that can all be left out: without them fewer than 0.1 % more of the pixels fall below a
    /// signal-to-noise ratio of 10 or clip. Never the reference frame.
    std::vector<size_t> dispensable;
};

/// From samples of the scene's light. A pixel counts as merged: its signal-to-noise ratio is that of all frames in use
/// that do not clip it. Throws nothing; without samples nothing is lost and nothing dispensable.
Coverage coverageOf(const Bracket &bracket, std::span<const LightSample> samples);

/// In words: "5 frames hold all but 0.02 % of the picture; frame 2 adds little".
std::string coverageSentence(const Bracket &bracket, const Coverage &coverage);

} // namespace yolk
