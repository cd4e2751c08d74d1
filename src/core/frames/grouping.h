// From a pile of frames to sets: which frames were taken as one bracket.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// What is known of a frame without its pixels.
struct FrameFacts {
    std::string name;               ///< of the file; numbers in it count as numbers
    std::optional<double> time;     ///< when it was taken, seconds from any origin
    std::optional<double> exposure; ///< relative exposure, t * ISO / N^2
    std::optional<double> seconds;  ///< shutter time
    std::optional<double> fNumber;
    int width = 0, height = 0;
    std::string camera;
    bool operator==(const FrameFacts &) const = default;
};

/// Reads what a file says of itself. Throws InputError.
FrameFacts factsOf(const std::string &path);

/// Seconds from a fixed origin of a date as Exif writes it, "2026:05:01 06:12:00", with a fraction after it if there
/// is one; empty when it is not a date.
std::optional<double> secondsOfDate(const std::string &dateTime);

/// Splits frames into sets: indices into `frames`, each set in the order of taking, sets in the order of their first
/// frames. The cheapest split of the sequence in time, where these cost: long pauses inside a set, an exposure that
/// comes twice (less where the shutter is at its limit), another aperture, sets of one or two frames, and each set
/// itself; a set with the exposures of the one before it is cheaper. Frames of other size or camera never share a set.
/// Frames without time are ordered by name. At most 15 frames a set. Never throws. Cost: 15^2 steps a frame.
/// Source: common practice, no published source.
std::vector<std::vector<size_t>> groupFrames(std::span<const FrameFacts> frames);

} // namespace yolk
