// The work on one set of frames, as a value and as a file beside them.
#pragma once

#include "recipe/history.h"
#include "render/set/measured.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

inline constexpr int kProjectVersion = 2; ///< 2: sizes of files, rating, radiance

/// A frame of a project, to be found again when folders were moved.
struct ProjectFrame {
    std::string name;   ///< of the file, without folders: frames lie together
    std::string id;     ///< Frame::id
    uint64_t bytes = 0; ///< of the file; 0: not known
    bool operator==(const ProjectFrame &) const = default;
};

/// A kept set of all settings.
struct ProjectVersion {
    std::string name;
    Recipe recipe;
    std::string unknown{}; ///< JSON object of settings that a newer Yolk wrote
    bool operator==(const ProjectVersion &) const = default;
};

struct Project {
    int version = kProjectVersion;       ///< of the file: a newer one stays what it is
    std::string folder;                  ///< of the frames; empty: where the project lies
    std::vector<ProjectFrame> frames;    ///< in the order of Sources::frames
    std::vector<ProjectFrame> missing{}; ///< others that belong to it and were not found: they may come back
    History history;                     ///< the settings, and how they came about
    std::vector<ProjectVersion> versions;
    std::optional<Measured> measured; ///< of these frames, in their order; none: by a newer process than this one
    int rating = 0;                   ///< 0: not rated, to kBestRating
    bool chosen = false;
    std::string across{};          ///< hash of the settings that a change of several sets left here last; may be empty
    std::string radiance{};        ///< name of the file that the merge was saved to, beside the frames; may be empty
    std::string unknown{};         ///< JSON object of what a newer Yolk wrote; empty when there is none
    std::string unknownSettings{}; ///< the same of the present settings
};

inline constexpr int kBestRating = 5;

/// Of the history only the newest kStatesKept states before the present one, and what was undone is gone.
inline constexpr size_t kStatesKept = 50;
std::string projectText(const Project &project);

/// Of a newer version it takes what it knows. Throws ArgumentError: no project, nested deeper than any, files with folders
/// in their names, more frames than kMostFrames, the path of a bad value, settings of a newer version.
Project parseProject(const std::string &text);
inline constexpr size_t kMostFrames = 200;

/// Whether its settings are others than those it began with or that a change of several sets left.
bool isWorkedOnByHand(const Project &project);
std::string hashOfSettings(const Recipe &recipe); ///< as Project::across has it

/// Names frames that belong to a project and cannot be used: it is found by them too.
void addMissing(Project &project, const ProjectFrame &frame);

/// Whether a project is of exactly these frames, in whatever order, those that were missing come back or not.
bool isOf(const Project &project, std::span<const FramePtr> frames);

} // namespace yolk
