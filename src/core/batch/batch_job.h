// A run over many sets: one job a set, each of which says all that it needs.
#pragma once

#include "recipe/export_preset.h"
#include "recipe/recipe.h"

#include <string>
#include <vector>

namespace yolk {

/// One set and what becomes of it. As text it is one line, which another machine that sees the same folders can run.
struct BatchJob {
    int number = 1;                  ///< from 1, in the order of taking
    std::vector<std::string> frames; ///< paths
    std::string out;                 ///< folder of the files, unless an export preset has its own
    std::vector<std::string>
        presets; ///< names of tone presets: the set is developed with each; empty: the automatic start
    std::vector<ExportPreset> exports; ///< ways of writing; never empty
    std::vector<std::string> settings; ///< as "tone.range=60", on top of every preset
    std::string project; ///< file of the work on the set, whose settings and measures are taken; empty: none
    bool operator==(const BatchJob &) const = default;
};

/// One line of JSON and back. Throws ArgumentError.
std::string lineOf(const BatchJob &job);
BatchJob parseJob(const std::string &line);

/// Of all that decides on the job's files, and of what the files of its frames and its work say of their size and age: a
/// job whose frames were replaced, or whose set was worked on, is another one.
std::string keyOf(const BatchJob &job);

/// What all sets have in common.
struct BatchPlan {
    std::string out;
    int group = 0; ///< so many frames a set, in the order of taking; 0: by time and exposure
    std::vector<std::string> presets;
    std::vector<ExportPreset> exports;
    std::vector<std::string> settings;
    bool takesWork = false; ///< the settings of the work that lies beside the frames of a set
};
struct BatchList {
    std::vector<BatchJob> jobs;
    std::vector<std::string> problems; ///< files that cannot be read, each with its reason
};
/// Sorts frames, and the frames of folders, into sets. Throws InputError (a path that is not there), ArgumentError (no
/// frames, a preset that there is not), Cancelled.
BatchList jobsOf(const std::vector<std::string> &paths, const BatchPlan &plan, ExecContext &ctx);

} // namespace yolk
