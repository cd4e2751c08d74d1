// From paths to sets: what the files say, and which of them belong together.
#pragma once

#include "base/errors.h"
#include "base/exec_context.h"
#include "frames/grouping.h"

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace yolk {

/// The suffixes that a folder is searched for, in small letters with their dots.
std::span<const std::string_view> frameSuffixes();

struct SortedFrames {
    std::vector<std::string> paths; ///< of the frames whose files can be read, in the order given
    std::vector<FrameFacts> facts;  ///< of those
    std::vector<std::vector<size_t>> sets;
    std::vector<InputError> problems; ///< the other files
};
/// Reads what the files say of themselves, not their pixels. `group` frames a set in the order of taking; 0: as
/// groupFrames() finds. Throws Cancelled.
SortedFrames sortIntoSets(std::span<const std::string> paths, int group, ExecContext &ctx);

/// So many frames a set, in the order of taking.
std::vector<std::vector<size_t>> inGroupsOf(size_t count, std::span<const FrameFacts> frames);

} // namespace yolk
