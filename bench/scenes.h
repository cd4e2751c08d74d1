// Which scenes a benchmark looks at.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

namespace yolk::bench {

/// Radiance pictures as files: all 18 panoramas when bench/fetch-panoramas.sh was run, else the six of the tests; then
/// the truth of the demo's scene.
std::vector<std::string> radiancePictures(const std::string &folder);

/// First seed and count: of a block above 1000 that the commit decides on, or as YOLK_WORLDS=FIRST,COUNT says.
std::pair<uint64_t, uint64_t> worldsAsked(uint64_t count);

} // namespace yolk::bench
