// Opening a set: from the paths of its frames to what can be rendered. The window, the command line, runs over many sets and
// the benchmarks all begin here.
#pragma once

#include "base/errors.h"
#include "project/project.h"
#include "render/set/sources.h"

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// Several at a time; null where a file cannot be read, which `problems` then says. Throws Cancelled.
std::vector<FramePtr> loadFrames(std::span<const std::string> paths, std::vector<InputError> &problems,
                                 ExecContext &ctx);

/// analyse(), without the frames whose pixels turn out to be damaged: they leave `sources` and stand in `problems`. Empty
/// when none is left. Throws InputError (a problem of the set itself), Cancelled.
std::optional<Measured> analyseUsable(Sources &sources, const Recipe &recipe, std::vector<InputError> &problems,
                                      ExecContext &ctx);

/// Puts the frames of the project first, in its order. Whether they are all of its frames and no others: then what was
/// measured of them holds.
bool sortAsIn(const Project &project, std::vector<FramePtr> &frames);

struct OpenedSet {
    Sources sources;
    Measured measured;
    Recipe start;  ///< automaticStart()
    Recipe recipe; ///< of the work, where there is some; else the start
    std::optional<Project> work;
    std::vector<FramePtr>
        damaged; ///< frames whose head can be read but not their pixels; they are no part of `sources`
    std::vector<InputError> problems; ///< of frames that were left out
};
/// The work on frames that were loaded, if there is some.
using FindWork = std::function<std::optional<Project>(std::span<const FramePtr>)>;
/// Loads and measures, or takes from the work what was measured. A frame that is there twice counts once.
/// Throws ArgumentError: none of the frames can be used; InputError, Cancelled.
OpenedSet openSet(std::span<const std::string> paths, const FindWork &findWork, size_t cacheBytes, ExecContext &ctx);

} // namespace yolk
