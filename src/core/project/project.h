// The work on one set of frames, as a value and as a file beside them.
#pragma once

#include "recipe/history.h"
#include "render/set/measured.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

inline constexpr int kProjectVersion = 1;

/// A frame of a project, to be found again when folders were moved.
struct ProjectFrame {
    std::string name; ///< of the file, without folders: frames lie together
    std::string id;   ///< Frame::id
    bool operator==(const ProjectFrame &) const = default;
};

/// A kept set of all settings.
struct ProjectVersion {
    std::string name;
    Recipe recipe;
    bool operator==(const ProjectVersion &) const = default;
};

struct Project {
    std::string folder;               ///< of the frames; empty: where the project lies
    std::vector<ProjectFrame> frames; ///< in the order of Sources::frames
    History history;                  ///< the settings, and how they came about
    std::vector<ProjectVersion> versions;
    std::optional<Measured> measured; ///< of these frames, in their order
    std::string unknown;              ///< JSON object of what a newer Yolk wrote; empty when there is none
};

/// Of the history only the newest kStatesKept states before the present one, and what was undone is gone.
inline constexpr size_t kStatesKept = 50;
std::string projectText(const Project &project);

/// Throws ArgumentError: no project, a newer version, nested deeper than any, frames with folders in their names, more
/// frames than kMostFrames, the path of a bad value.
Project parseProject(const std::string &text);
inline constexpr size_t kMostFrames = 64;

/// Whether a project is of exactly these frames, in whatever order.
bool isOf(const Project &project, std::span<const FramePtr> frames);

} // namespace yolk
