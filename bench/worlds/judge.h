// What the pipeline makes of a world, against the truth and against the same merge told the truth.
#pragma once

#include "worlds/world.h"

#include <optional>

namespace yolk::worlds {

struct Verdict {
    bool curveTaken = false;
    std::optional<double> curveError;   ///< RMS of full scale after one common power; of curved files
    std::optional<double> profileError; ///< the same of the profile's curve
    double exposureError = 0.0;         ///< EV, the worst frame, after one common factor (curved files: power)
    int leftOut = 0;    ///< frames that could not be aligned although a fifth of the picture stands still in all
    double loss = 0.0;  ///< dB PU21-PSNR under the same merge told the truth, where things stand still
    double score = 0.0; ///< dB, ours
    /// Of low plateaus: share of the brightest tenth within 0.1 stop and 3 degrees of hue of the merge with the right white
    /// and all else as measured; and of both without local motion and movement, which are decisions and may tip over.
    double lights = 1.0, plainLights = 1.0;
    double seconds = 0.0; ///< analysis and merge
    /// CIEDE2000 that the mean of a flat patch is off against its neighbour from another frame, the 95th of all pairs; of
    /// worlds whose lamps flicker or whose white balances differ.
    std::optional<double> borders;
    std::optional<double> bordersTold; ///< the same of the merge told the truth: what noise and alignment leave
    std::optional<double> overThree;   ///< dB that seven and more hand-held frames gain over three of them
};

Verdict judge(const World &world, const std::string &folder, ExecContext &ctx);

} // namespace yolk::worlds
