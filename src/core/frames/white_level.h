// Where a sensor really clips. Files and libraries state a white level; the pixels of many cameras stop some per cent
// below it, by channel and ISO, and lights then turn purple: what has clipped looks as if it had not.
#pragma once

#include "io/codec.h"

#include <optional>
#include <span>

namespace yolk {

/// What a set's frames say of the white level of one camera at one ISO.
struct WhiteLevel {
    double share = 1.0;      ///< of the range from black to the stated white: all channels are linear up to here
    double saturation = 1.0; ///< of the same: where the channel that ends first piles up
    bool operator==(const WhiteLevel &) const = default;
};

/// The white level that holds for all channels, from the saturated pixels, which pile up in the histogram of a channel.
/// A pile counts as saturation when frames of different exposure have theirs at the same value (a wall's would move), or
/// when it is narrower than shot noise lets anything else be. The level is set below the pile where values begin to
/// crowd, as the last per cent are often bent. Empty when no frame shows a pile within 15 % below the stated white.
/// `frames` are of one camera at one ISO, with one stated white. Throws ArgumentError (they are not).
std::optional<WhiteLevel> whiteLevelOf(std::span<const SensorCounts *const> frames);

/// What file and library state by themselves: a channel's own saturation, where the library knows one.
WhiteLevel statedWhiteLevel(const SensorCounts &counts);

} // namespace yolk
