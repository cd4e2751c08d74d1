// The options that merge and develop share: which frames, and what is decided about them.
#pragma once

#include "commands.h"
#include "render/render.h"

#include <string>
#include <vector>

namespace yolk::cli {

struct BracketOptions {
    std::vector<std::string> files;
    std::string reference = "auto";
    std::vector<int> excluded;
    std::vector<std::string> influence;
    std::string recipeFile;
    bool noAlign = false, crop = false;
    std::string movement, keeper;
};

/// Adds FRAME..., --reference, --exclude, --influence, --recipe and the options of alignment and movement.
void addBracketOptions(CLI::App &command, BracketOptions &options);

/// Entries of --set, as in "tone.range=60". Throws ArgumentError.
void applySettings(const std::vector<std::string> &entries, Recipe &recipe);

/// A set that was opened and measured, with the recipe of the options.
struct OpenSet {
    Sources sources;
    Measured measured;
    Recipe recipe;
    Bracket bracket;
    bool recipeGiven = false;
};

/// Loads the frames; the first that cannot be read ends it. Throws InputError.
Sources loadSources(const std::vector<std::string> &files, ExecContext &ctx);

/// Loads, measures and arranges; warnings go to standard error. Strict: one frame that cannot be read or used ends it.
/// Throws InputError, ArgumentError (a frame number or recipe value out of range).
OpenSet openSet(const BracketOptions &options, ExecContext &ctx);

} // namespace yolk::cli
