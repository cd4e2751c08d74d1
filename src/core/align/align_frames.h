// How the frames of a set lie to one of them.
#pragma once

#include "align/registration.h"

#include <span>
#include <vector>

namespace yolk {

struct FrameAlignment {
    bool found = false;       ///< false: the transform is the identity, and not to be believed
    Registration toReference; ///< transform from the reference to this frame; quality against its neighbour in exposure
    bool operator==(const FrameAlignment &) const = default;
};

struct AlignOptions {
    ModelChoice model = ModelChoice::Automatic;
    double finestPixels = 3e6; ///< work goes on to the first level with at most so many
    double enough = 0.003;     ///< as RegistrationOptions: what will be refined later need not be so exact
};

/// One entry per guide. The reference is `wanted` when at least half of the others lie on it, else the frame that most
/// do: a frame of another scene must not turn out all the rest. Frames are compared with the nearest exposure that has
/// been aligned already, then with the next two, so that there is light that both hold; transforms are chained.
/// Pictures of less than 40 pixels are not aligned. Throws ArgumentError (no guides, index), Cancelled. Threads:
/// ctx.runner and those of OpenCV; the same bits for any.
/// Memory: 26 bytes per pixel of the finest level.
std::vector<FrameAlignment> alignFrames(std::span<const Guide> guides, size_t wanted, const AlignOptions &options,
                                        ExecContext &ctx);

/// The same again from what is roughly known, in pixels of these guides: only the finest two levels are worked on. What
/// was not found stays so; what does not hold up stays as it was.
std::vector<FrameAlignment> refineAlignment(std::span<const Guide> guides, size_t reference,
                                            std::span<const FrameAlignment> known, const AlignOptions &options,
                                            ExecContext &ctx);

} // namespace yolk
