#include "bracket_options.h"

#include "io/atomic_file.h"
#include "recipe/preset.h"
#include "recipe/recipe_json.h"
#include "render/files/output.h"
#include "tone/tone_curve.h"

#include <cstdio>
#include <iostream>

namespace yolk::cli {
namespace {

struct Options : BracketOptions {
    std::string output, method, preset, size, profile, saveRecipe;
    std::vector<std::string> set;
};

Shape sizeOf(const std::string &text)
{
    int width = 0, height = 0;
    char rest = 0;
    if (text.empty())
        return {0, 0, 3};
    if (std::sscanf(text.c_str(), "%dx%d%c", &width, &height, &rest) != 2 || width < 1 || height < 1)
        throw ArgumentError("--size " + text + ": must read WxH, as in 2048x1365");
    return {width, height, 3};
}

/// The preset first, then what was asked for in particular.
void applyOptions(const Options &options, const Recipe &start, Recipe &recipe)
{
    if (!options.preset.empty())
        recipe = withPreset(recipe, presetNamed(options.preset), 100.0, start);
    if (!options.method.empty())
        setByPath(recipe, "tone.method", options.method);
    if (!options.profile.empty())
        setByPath(recipe, "export.space", options.profile);
    applySettings(options.set, recipe);
}

} // namespace

Work addDevelop(CLI::App &app)
{
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("develop", "merge, tone map and write a finished picture");
    addBracketOptions(*command, *options);
    command->add_option("-o,--output", options->output, "OUT.tif (16 bit) or OUT.jpg")->required();
    command->add_option("--method", options->method, "plain, global, local or blend (silent: local)")
        ->type_name("NAME");
    command->add_option("--preset", options->preset, "one of ours, as in Poached; --method and --set act on top of it")
        ->type_name("NAME");
    command->add_option("--set", options->set, "one setting, as in tone.range=60")->type_name("path=value");
    command->add_option("--size", options->size, "fits inside")->type_name("WxH");
    command->add_option("--profile", options->profile, "srgb, p3 or rec2020")->type_name("NAME");
    command
        ->add_option("--save-recipe", options->saveRecipe,
                     "writes all settings that were used, for --recipe and the window")
        ->type_name("FILE");
    return [options](ExecContext &ctx) {
        static_cast<void>(pictureFormatOf(options->output)); // before any work, like the two below
        const Shape size = sizeOf(options->size);
        Recipe trial;
        applyOptions(*options, trial, trial);
        ExecContext opening = ctx.part(0.0, 0.3), developing = ctx.part(0.3, 1.0);
        OpenSet set = openSet(*options, opening);
        Recipe start;
        start.tone = automaticTone(set.measured.tone);
        applyOptions(*options, start, set.recipe);
        exportPicture(set.sources, set.recipe, set.measured, options->output, size.width, size.height, developing);
        if (!options->saveRecipe.empty())
            writeTextAtomically(options->saveRecipe, recipeText(set.recipe));
        std::cout << options->output << "\n";
    };
}

} // namespace yolk::cli
