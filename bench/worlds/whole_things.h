// What the pipeline makes of things that move, against every state that the scene was in.
#pragma once

#include "worlds/world.h"

#include <optional>

namespace yolk::worlds {

enum class KeeperChoice { Automatic, ByHand };

struct WholeVerdict {
    /// Share of the pixels that move within a quarter of a stop, or 3 sigma of the least noisy frame that shows it, of
    /// the truth of the state that is said to stand there (of any state where all frames are said to count).
    double whole = 1.0;
    int things = 0; ///< moving things at the moments of the frames that can be told from what else was there
    int parts = 0;  ///< of those, shown by 2 to 98 % of their pixels
    /// Share of the moving pixels that a keeper chosen by hand holds unclipped and that show its state.
    std::optional<double> obeyed;
    double noise = 1.0;               ///< of what moves, over that of the best frame that shows it; median
    double score = 0.0, single = 0.0; ///< dB PU21-PSNR of the merge against the states that it shows, and of the keeper
                                      ///< alone against its own
};

/// Frames are shot into `folder` and removed again. `misses`: 1 where a moving pixel is not whole, if anybody asks.
WholeVerdict judgeWhole(const World &world, KeeperChoice choice, const std::string &folder, ExecContext &ctx,
                        Image<uint8_t> *misses = nullptr);

/// Share of the pixels said to have moved in the full merge where the first picture has the same frame standing. The
/// world must be larger than a first picture is.
double sameAsFirstPicture(const World &world, const std::string &folder, ExecContext &ctx);

} // namespace yolk::worlds
