#include "bracket_options.h"

#include "project/opened_set.h"
#include "recipe/recipe_json.h"
#include "tone/tone_curve.h"

#include <fstream>
#include <iostream>
#include <sstream>

namespace yolk::cli {
namespace {

constexpr size_t kCacheBytes = size_t(6) << 30; // one full merge of 9 frames of 45 megapixels and its levels

const std::string &idOf(const Sources &sources, int number, const char *option)
{
    if (number < 1 || number > int(sources.frames.size()))
        throw ArgumentError(std::string(option) + " " + std::to_string(number) + ": there are frames 1 to " +
                            std::to_string(sources.frames.size()));
    return sources.frames[size_t(number - 1)]->id;
}

int wholeNumber(const std::string &text, const char *option)
{
    size_t used = 0;
    int value = 0;
    try {
        value = std::stoi(text, &used);
    } catch (const std::exception &) {
        used = 0;
    }
    if (used == 0 || used != text.size())
        throw ArgumentError(std::string(option) + " " + text + ": must be a whole number");
    return value;
}

ReadRecipe readRecipe(const std::string &path)
{
    std::ifstream file(path);
    std::stringstream text;
    text << file.rdbuf();
    if (!file)
        throw InputError(path, "cannot be read");
    try {
        return parseRecipe(text.str());
    } catch (const ArgumentError &e) {
        throw InputError(path, e.what());
    }
}

void applyChoice(const BracketOptions &options, const Sources &sources, FrameChoice &choice)
{
    if (options.reference != "auto")
        choice.reference = idOf(sources, wholeNumber(options.reference, "--reference"), "--reference");
    if (options.keeper == "auto")
        choice.keeper.clear();
    else if (!options.keeper.empty())
        choice.keeper = idOf(sources, wholeNumber(options.keeper, "--keeper"), "--keeper");
    if (!options.excluded.empty())
        choice.excluded.clear(); // what the line names overrides the recipe
    for (int number : options.excluded)
        choice.excluded.insert(idOf(sources, number, "--exclude"));
    if (choice.excluded.size() >= sources.frames.size())
        throw ArgumentError("--exclude leaves no frame");
    for (const std::string &entry : options.influence) {
        const size_t equals = entry.find('=');
        if (equals == std::string::npos)
            throw ArgumentError("--influence " + entry + ": must read N=0..2");
        double factor = -1.0;
        std::istringstream(entry.substr(equals + 1)) >> factor;
        if (!(factor >= 0.0 && factor <= 2.0))
            throw ArgumentError("--influence " + entry + ": must lie in 0 to 2");
        choice.influence[idOf(sources, wholeNumber(entry.substr(0, equals), "--influence"), "--influence")] = factor;
    }
}

} // namespace

void addBracketOptions(CLI::App &command, BracketOptions &options)
{
    command.add_option("FRAME", options.files, "the frames, in any order; N counts them as given, from 1")->required();
    command.add_option("--reference", options.reference, "frame N whose geometry and clipping count, or auto")
        ->type_name("N|auto");
    command.add_option("--exclude", options.excluded, "frames to leave out")->delimiter(',')->type_name("N,...");
    command.add_option("--influence", options.influence, "weight of a frame, 0 to 2")
        ->delimiter(',')
        ->type_name("N=X,...");
    command.add_option("--recipe", options.recipeFile, "a settings file")->type_name("FILE");
    command.add_flag("--no-align", options.noAlign, "take the frames as they were shot");
    command.add_flag("--crop", options.crop, "only what all frames in use show");
    command.add_option("--movement", options.movement, "how faint a movement counts; 0 is off (silent: 50)")
        ->type_name("0..100");
    command.add_option("--keeper", options.keeper, "frame N that decides where moved things stand, or auto")
        ->type_name("N|auto");
}

void applySettings(const std::vector<std::string> &entries, Recipe &recipe)
{
    for (const std::string &entry : entries) {
        const size_t equals = entry.find('=');
        if (equals == std::string::npos)
            throw ArgumentError("--set " + entry + ": must read path=value");
        setByPath(recipe, entry.substr(0, equals), entry.substr(equals + 1));
    }
}

Sources loadSources(const std::vector<std::string> &files, ExecContext &ctx)
{
    std::vector<InputError> problems;
    Sources sources{loadFrames(files, problems, ctx), std::make_shared<StageCache>(kCacheBytes)};
    if (!problems.empty())
        throw problems.front();
    return sources;
}

OpenSet openSet(const BracketOptions &options, ExecContext &ctx)
{
    OpenSet set;
    ExecContext loading = ctx.part(0.0, 0.3), measuring = ctx.part(0.3, 1.0);
    if (!options.recipeFile.empty()) {
        const ReadRecipe read = readRecipe(options.recipeFile);
        set.recipe = read.recipe;
        set.recipeGiven = true;
        for (const std::string &path : read.unknownPaths)
            std::cerr << "yolk-cli: warning: " << options.recipeFile << ": unknown setting " << path << "\n";
    }
    set.sources = loadSources(options.files, loading);
    applyChoice(options, set.sources, set.recipe.frames);
    if (options.noAlign)
        set.recipe.align.mode = AlignMode::Off;
    if (!options.movement.empty())
        setByPath(set.recipe, "movement.sensitivity", options.movement);
    if (options.crop)
        set.recipe.geometry.crop = CropMode::Common;
    set.measured = analyse(set.sources, set.recipe, measuring);
    set.bracket = bracketOf(set.sources, set.measured, set.recipe);
    for (const BracketFrame &f : set.bracket.frames) {
        if (!f.usable && !set.recipe.frames.excluded.contains(f.frame->id))
            throw InputError(f.frame->path, f.notices.front());
        for (const std::string &notice : f.notices)
            std::cerr << "yolk-cli: warning: " << f.frame->path << ": " << notice << "\n";
    }
    const BracketFrame &reference = set.bracket.frames[set.bracket.reference];
    if (const std::string &wanted = set.recipe.frames.reference; !wanted.empty() && wanted != reference.frame->id)
        for (const BracketFrame &f : set.bracket.frames)
            if (f.frame->id == wanted && !f.usable)
                throw InputError(f.frame->path, "cannot be the reference frame: " + f.notices.front());
    for (const std::string &notice : set.bracket.notices)
        std::cerr << "yolk-cli: warning: " << notice << "\n";
    if (!set.recipeGiven)
        set.recipe.tone = automaticTone(set.measured.tone);
    return set;
}

} // namespace yolk::cli
