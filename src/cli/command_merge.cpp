#include "bracket_options.h"
#include "frame_report.h"

#include "io/atomic_file.h"
#include "render/files/output.h"
#include "render/files/radiance_export.h"

#include <nlohmann/json.hpp>

#include <chrono>
#include <iostream>
#include <sys/resource.h>

namespace yolk::cli {
namespace {

struct Options : BracketOptions {
    std::string output, space, report;
    std::vector<std::string> set;
};

/// The most memory that this process held at any time, in bytes.
double peakMemory()
{
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return double(usage.ru_maxrss) * 1024.0;
}

void writeReport(const std::string &path, const OpenSet &set, const RadianceReport &radiance, double seconds)
{
    nlohmann::json out = reportJson(set.bracket, set.measured);
    const MergedSet &merged = *radiance.merged;
    out["process_version"] = set.measured.processVersion;
    out["reference"] = set.bracket.frames[set.bracket.reference].given;
    out["clipped_share"] = merged.clippedShare;
    out["negative_pixels_set_to_zero"] = radiance.negatives;
    out["values_beyond_half_float"] = radiance.tooBright;
    out["seconds"] = seconds;
    out["merge_seconds"] = merged.seconds;
    out["peak_memory_bytes"] = peakMemory();
    const Frame &reference = *set.bracket.frames[set.bracket.reference].frame;
    for (auto &frame : out["frames"])
        for (size_t i = 0; i < merged.agreement.size(); ++i)
            if (frame["id"] == merged.frameIds[i]) {
                frame["share"] = merged.agreement[i].share;
                frame["difference_from_merge_ev"] = merged.agreement[i].differenceEv;
                frame["difference_from_merge_sigma"] = merged.agreement[i].sigmas;
                frame["alignment"] = jsonOf(merged.alignment[i], reference);
                frame["alignment"]["believed_share"] = merged.believed[i];
            }
    const auto given = [&](size_t frame) {
        const auto at = std::ranges::find(set.bracket.frames, merged.frameIds[frame],
                                          [](const BracketFrame &f) { return f.frame->id; });
        return at->given;
    };
    auto &movement = out["movement"] = {{"places", nlohmann::json::array()}};
    if (!merged.movement.grids.empty())
        movement["keeper"] = given(merged.movement.keeper);
    for (const MovedPlace &place : merged.movement.places) {
        nlohmann::json counts = nlohmann::json::object();
        for (size_t i = 0; i < place.counts.size(); ++i)
            if (place.counts[i] > 0.0)
                counts[std::to_string(given(i))] = place.counts[i];
        movement["places"].push_back({{"x", place.area.x0},
                                      {"y", place.area.y0},
                                      {"width", place.area.width()},
                                      {"height", place.area.height()},
                                      {"share", place.pixels / double(merged.pixels.radiance.shape().pixels())},
                                      {"frame", given(place.frame)},
                                      {"counts", counts},
                                      {"by_hand", place.byHand},
                                      {"removed", place.removed},
                                      {"slight", place.slight},
                                      {"keeper_holds", place.keeperHolds}});
    }
    const Rect area = croppedArea(RenderPlan(set.sources, set.measured, set.recipe));
    out["area"] = {{"x", area.x0}, {"y", area.y0}, {"width", area.width()}, {"height", area.height()}};
    writeTextAtomically(path, out.dump(2) + "\n");
}

} // namespace

Work addMerge(CLI::App &app)
{
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("merge", "merge frames into one radiance image");
    addBracketOptions(*command, *options);
    command->add_option("-o,--output", options->output, "OUT.exr, OUT.hdr, OUT.tif (32 bit) or OUT.dng")->required();
    command->add_option("--space", options->space, "primaries: rec709, rec2020 or ap1 (silent: rec709)")
        ->type_name("NAME");
    command->add_option("--set", options->set, "one setting, as in radiance.pixels=half")->type_name("path=value");
    command->add_option("--report", options->report, "what was done, as JSON")->type_name("FILE");
    return [options](ExecContext &ctx) {
        static_cast<void>(radianceFormatOf(options->output)); // before any work
        const auto apply = [&](Recipe &recipe) {
            applySettings(options->set, recipe);
            if (!options->space.empty())
                setByPath(recipe, "radiance.space", options->space);
        };
        Recipe trial; // a bad setting is said before any work
        apply(trial);
        if (radianceFormatOf(options->output) == RadianceFormat::Hdr && trial.radiance.space != RadianceSpace::Rec709)
            throw ArgumentError(options->output + ": Radiance HDR holds Rec. 709 primaries only");
        const auto start = std::chrono::steady_clock::now();
        ExecContext opening = ctx.part(0.0, 0.4), merging = ctx.part(0.4, 1.0);
        OpenSet set = openSet(*options, opening);
        apply(set.recipe);
        const RadianceReport report = exportRadiance(set.sources, set.recipe, set.measured, options->output, merging);
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
        if (report.negatives > 0)
            std::cerr << "yolk-cli: warning: " << options->output << ": negative values of " << report.negatives
                      << " pixels set to 0\n";
        if (report.tooBright > 0)
            std::cerr << "yolk-cli: warning: " << options->output << ": " << report.tooBright
                      << " values are too bright for half-float and became 65504\n";
        if (!options->report.empty())
            writeReport(options->report, set, report, took.count());
        std::cout << options->output << "\n";
    };
}

} // namespace yolk::cli
