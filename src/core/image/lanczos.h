// The kernel by which pictures are brought to other places: Lanczos with three lobes.
#pragma once

#include <vector>

namespace yolk {

inline constexpr int kLanczosTaps = 6, kLanczosPhases = 1024; ///< phases: nearer places than can be seen

/// Weights of the six samples round a place, from the second one before it on: eight values for each of
/// kLanczosPhases + 1 places between two samples; their sum is 1. The last two are zeros, so that eight can be worked on
/// at once.
/// Source: [Duchon1979].
const std::vector<float> &lanczosKernel();

} // namespace yolk
