// How the light of a set is spread.
#pragma once

#include "render/set/measured.h"

#include <vector>

namespace yolk {

/// Shares of pixels over scene light: kBins bins of kBinEv from kFirstEv on, sum 1; the ends hold what lies beyond.
struct SceneHistogram {
    static constexpr double kFirstEv = -20.0, kBinEv = 0.125;
    static constexpr int kBins = 256;
    std::vector<float> shares = std::vector<float>(kBins, 0.0f);
    bool operator==(const SceneHistogram &) const = default;
};

/// Of the merged scene under the present settings, from the preview's decode.
SceneHistogram sceneHistogram(const Sources &sources, const Measured &measured, const Recipe &recipe, ExecContext &ctx);

} // namespace yolk
