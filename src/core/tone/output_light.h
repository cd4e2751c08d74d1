// What display light ends as: a standard picture up to white, or one whose lights go on above it.
#pragma once

#include "colour/icc.h"

#include <optional>

namespace yolk {

/// Display light at which scene light of a white surface stands under the photographic operator: o / (1 + o) with the
/// odds that make middle grey 0.18. So far a standard picture and an HDR one are the same.
inline constexpr double kLightsBegin = (0.18 / 0.82 / 0.18) / (1.0 + 0.18 / 0.82 / 0.18); // 0.549

/// Lights above white.
struct HdrLights {
    double begin = kLightsBegin;  ///< display light up to which nothing changes
    double peak = 1000.0 / 203.0; ///< the most that comes out, as a multiple of white
    bool operator==(const HdrLights &) const = default;
};

struct OutputLight {
    OutputLight(OutputSpace s) : space(s) {} // a standard picture of that space
    OutputLight(OutputSpace s, std::optional<HdrLights> l) : space(s), lights(std::move(l)) {}
    OutputSpace space;
    std::optional<HdrLights> lights{};
    double top() const { return lights ? lights->peak : 1.0; } ///< the most that comes out
};

} // namespace yolk
