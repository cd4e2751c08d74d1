#include "bracket_options.h"

#include "base/text.h"
#include "io/atomic_file.h"
#include "recipe/export_preset.h"
#include "recipe/preset.h"
#include "recipe/recipe_json.h"
#include "render/files/output.h"
#include "tone/tone_curve.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <iterator>

namespace yolk::cli {
namespace {

struct Options : BracketOptions {
    std::string method, preset, size, profile, saveRecipe;
    std::vector<std::string> outputs, exportPresets, set;
    bool json = false;
};

/// One file that is to be written.
struct Target {
    std::string path;
    ExportSettings settings;
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
    if (const std::string ext = extensionOf(options.profile); ext == ".icc" || ext == ".icm") {
        setByPath(recipe, "export.space", "profile");
        setByPath(recipe, "export.profile", options.profile);
    } else if (!options.profile.empty()) {
        setByPath(recipe, "export.space", options.profile);
    }
    applySettings(options.set, recipe);
}

ExportPreset readPreset(const std::string &path)
{
    std::ifstream in(path, std::ios::binary);
    if (!in)
        throw InputError(path, std::strerror(errno));
    try {
        return parseExportPreset({std::istreambuf_iterator<char>(in), {}});
    } catch (const ArgumentError &e) {
        throw InputError(path, e.what());
    }
}

/// Each output under the settings, and again for each export preset: its own settings, and the output's name with the
/// preset's behind it.
std::vector<Target> targetsOf(const Options &options, const ExportSettings &settings)
{
    std::vector<Target> out;
    for (const std::string &path : options.outputs)
        out.push_back({path, settings});
    for (const std::string &file : options.exportPresets) {
        const ExportPreset preset = readPreset(file);
        const std::filesystem::path first(options.outputs.front());
        const std::filesystem::path folder = preset.folder.empty() ? first.parent_path() : std::filesystem::path(preset.folder);
        std::string name = first.stem().string() + "-" + preset.name;
        std::ranges::transform(name, name.begin(), [](unsigned char c) { return c == ' ' ? '-' : char(std::tolower(c)); });
        out.push_back({(folder / (name + suffixesOf(preset.settings.format).front())).string(), preset.settings});
    }
    return out;
}

nlohmann::json jsonOf(const std::string &path, const PictureReport &report)
{
    nlohmann::json out{{"file", path},
                       {"width", report.width},
                       {"height", report.height},
                       {"bits", report.bits},
                       {"bytes", report.bytes}};
    if (report.quality > 0)
        out["quality"] = report.quality;
    return out;
}

std::string formatsHelp()
{
    std::string out = "Formats:\n";
    for (const FormatTraits &traits : kPictureFormats)
        out += textOf("  %-6s %s: %s.\n", suffixesOf(traits.format).front().c_str(), std::string(traits.name).c_str(),
                      std::string(traits.help).c_str());
    return out + "Examples:\n"
                 "  yolk-cli develop *.dng -o picture.tif\n"
                 "  yolk-cli develop *.dng -o picture.tif -o small.jpg --size 2048x2048 --json\n"
                 "  yolk-cli develop *.dng -o bright.jpg --set export.light=hdr --set export.peak=1600\n"
                 "  yolk-cli develop *.dng -o print.tif --profile printer.icc --set export.intent=perceptual\n"
                 "  yolk-cli develop *.dng -o small.jpg --set export.size=long --set export.pixels=1600 \\n"
                 "      --set export.most_kilobytes=500 --set export.metadata=no_place";
}

} // namespace

Work addDevelop(CLI::App &app)
{
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("develop", "merge, tone map and write a finished picture");
    addBracketOptions(*command, *options);
    command
        ->add_option("-o,--output", options->outputs, "OUT.tif, .jpg, .png, .avif, .jxl, .exr or .hdr; more than once")
        ->required()
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll)
        ->type_name("FILE");
    command->add_option("--export-preset", options->exportPresets, "writes it once more as this preset file says")
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll)
        ->type_name("FILE");
    command->add_flag("--json", options->json, "says what was written as JSON");
    command->footer(formatsHelp());
    command->add_option("--method", options->method, "plain, global, local or blend (silent: local)")
        ->type_name("NAME");
    command->add_option("--preset", options->preset, "one of ours, as in Poached; --method and --set act on top of it")
        ->type_name("NAME");
    command->add_option("--set", options->set, "one setting, as in tone.range=60")->type_name("path=value");
    command->add_option("--size", options->size, "fits inside")->type_name("WxH");
    command->add_option("--profile", options->profile, "srgb, p3, oprgb, rec2020, romm, or an ICC file")
        ->type_name("NAME|FILE.icc");
    command
        ->add_option("--save-recipe", options->saveRecipe,
                     "writes all settings that were used, for --recipe and the window")
        ->type_name("FILE");
    return [options](ExecContext &ctx) {
        for (const std::string &output : options->outputs) // before any work, like what follows
            static_cast<void>(pictureFormatOf(output));
        const Shape size = sizeOf(options->size);
        Recipe trial;
        applyOptions(*options, trial, trial);
        static_cast<void>(targetsOf(*options, trial.output));
        ExecContext opening = ctx.part(0.0, 0.3), developing = ctx.part(0.3, 1.0);
        OpenSet set = openSet(*options, opening);
        Recipe start;
        start.tone = automaticTone(set.measured.tone);
        applyOptions(*options, start, set.recipe);

        const std::vector<Target> targets = targetsOf(*options, set.recipe.output);
        nlohmann::json written = nlohmann::json::array();
        for (size_t i = 0; i < targets.size(); ++i) {
            ExecContext own = developing.part(double(i) / double(targets.size()), double(i + 1) / double(targets.size()));
            Recipe recipe = set.recipe;
            recipe.output = targets[i].settings;
            const PictureReport report = exportPicture(set.sources, recipe, set.measured,
                                                       {targets[i].path, size.width, size.height}, own);
            written.push_back(jsonOf(targets[i].path, report));
        }
        if (!options->saveRecipe.empty())
            writeTextAtomically(options->saveRecipe, recipeText(set.recipe));
        if (options->json)
            std::cout << written.dump(2) << "\n";
        else
            for (const Target &target : targets)
                std::cout << target.path << "\n";
    };
}

} // namespace yolk::cli
