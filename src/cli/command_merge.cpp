#include "bracket_options.h"

#include "io/atomic_file.h"
#include "render/output.h"

#include <nlohmann/json.hpp>

#include <chrono>
#include <fstream>
#include <iostream>

namespace yolk::cli {
namespace {

struct Options : BracketOptions {
    std::string output, space = "rec709", report;
    bool crop = false;
};

const Primaries &primariesNamed(const std::string &name)
{
    if (name == "rec709")
        return kRec709;
    if (name == "rec2020")
        return kRec2020;
    if (name == "ap1")
        return kAp1;
    throw ArgumentError("--space " + name + ": must be one of rec709, rec2020, ap1");
}

void writeReport(const std::string &path, const OpenSet &set, const RadianceReport &radiance, double seconds)
{
    nlohmann::json out = {{"seconds", seconds},
                          {"clipped_share", radiance.clippedShare},
                          {"negative_pixels_set_to_zero", radiance.negatives},
                          {"notices", set.bracket.notices}};
    for (const BracketFrame &f : set.bracket.frames)
        out["frames"].push_back({{"file", f.frame->path},
                                 {"given", f.given},
                                 {"number", f.number},
                                 {"used", f.used},
                                 {"ev", f.ev},
                                 {"influence", f.influence},
                                 {"notices", f.notices}});
    writeAtomically(path, [&](const std::string &temporary) {
        std::ofstream file(temporary);
        file << out.dump(2) << "\n";
        if (!file.flush())
            throw OutputError(temporary, "could not be written whole; is the disk full?");
    });
}

} // namespace

Work addMerge(CLI::App &app)
{
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("merge", "merge frames into one radiance image");
    addBracketOptions(*command, *options);
    command->add_option("-o,--output", options->output, "OUT.exr or OUT.hdr")->required();
    command->add_option("--space", options->space, "primaries: rec709, rec2020 or ap1")->type_name("NAME");
    command->add_option("--report", options->report, "what was done, as JSON")->type_name("FILE");
    command->add_flag("--crop", options->crop, "not built yet");
    return [options](ExecContext &ctx) {
        if (options->crop)
            refuse("--crop");
        if (options->output.ends_with(".tif") || options->output.ends_with(".tiff"))
            refuse("radiance as TIFF");
        static_cast<void>(radianceFormatOf(options->output)); // before any work
        const Primaries &primaries = primariesNamed(options->space);
        const auto start = std::chrono::steady_clock::now();
        ExecContext opening = ctx.part(0.0, 0.4), merging = ctx.part(0.4, 1.0);
        const OpenSet set = openSet(*options, opening);
        const RadianceReport report =
            exportRadiance(set.sources, set.recipe, set.measured, primaries, options->output, merging);
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
        if (report.negatives > 0)
            std::cerr << "yolk-cli: warning: " << options->output << ": negative values of " << report.negatives
                      << " pixels set to 0\n";
        if (!options->report.empty())
            writeReport(options->report, set, report, took.count());
        std::cout << options->output << "\n";
    };
}

} // namespace yolk::cli
