#include "bracket_options.h"

#include "frames/exposure.h"
#include "render/output.h"

#include <nlohmann/json.hpp>

#include <cmath>
#include <iomanip>
#include <iostream>

namespace yolk::cli {
namespace {

using nlohmann::json;

template <class T> json orNull(const std::optional<T> &value)
{
    return value ? json(*value) : json();
}

const char *wordOf(ExposureSource source)
{
    return source == ExposureSource::Stated ? "stated" : source == ExposureSource::Estimated ? "estimated" : "assumed";
}

std::string shutterText(std::optional<double> seconds)
{
    if (!seconds)
        return "-";
    return *seconds < 0.3 ? textOf("1/%.0f s", 1.0 / *seconds) : textOf("%.3g s", *seconds);
}

json jsonOf(const BracketFrame &f)
{
    const Frame &frame = *f.frame;
    return {{"file", frame.path},
            {"id", frame.id},
            {"number", f.number},
            {"given", f.given},
            {"format", frame.format},
            {"width", frame.width},
            {"height", frame.height},
            {"bits", frame.bits},
            {"profile", frame.codeValues.name},
            {"exposure_seconds", orNull(frame.metadata.exposureSeconds)},
            {"f_number", orNull(frame.metadata.fNumber)},
            {"iso", orNull(frame.metadata.iso)},
            {"camera", frame.metadata.camera},
            {"ev", f.ev},
            {"exposure_source", wordOf(f.measured.source)},
            {"clipped_share", f.measured.clippedShare},
            {"dark_share", f.measured.darkShare},
            {"noise", {{"gain", frame.noise.gain}, {"read_variance", frame.noise.readVariance}}},
            {"usable", f.usable},
            {"notices", f.notices}};
}

void printTable(const Bracket &bracket)
{
    std::cout << " no given       EV  shutter     f/    ISO  clipped    dark  file\n";
    for (const BracketFrame &f : bracket.frames) {
        const Metadata &m = f.frame->metadata;
        std::cout << textOf("%3d %5d  %+7.2f  %-9s %4s  %5s  %6.2f%%  %5.2f%%  %s\n", f.number, f.given, f.ev,
                            shutterText(m.exposureSeconds).c_str(),
                            m.fNumber ? textOf("%.3g", *m.fNumber).c_str() : "-",
                            m.iso ? textOf("%.0f", *m.iso).c_str() : "-", 100 * f.measured.clippedShare,
                            100 * f.measured.darkShare, f.frame->path.c_str());
        for (const std::string &notice : f.notices)
            std::cout << "           " << notice << "\n";
    }
    std::cout << "reference: frame " << bracket.frames[bracket.reference].number << "\n";
    for (const std::string &notice : bracket.notices)
        std::cout << notice << "\n";
}

} // namespace

Work addInfo(CLI::App &app)
{
    struct Options {
        std::vector<std::string> files;
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    CLI::App *command = app.add_subcommand("info", "say what the frames are");
    command->add_option("FRAME", options->files, "the frames")->required();
    command->add_flag("--json", options->json, "as JSON");
    return [options](ExecContext &ctx) {
        const Sources sources = loadSources(options->files, ctx);
        const Measured measured = analyse(sources, {}, ctx);
        const Bracket bracket = bracketOf(sources, measured, {});
        if (!options->json)
            return printTable(bracket);
        json out = {{"reference", bracket.frames[bracket.reference].number}, {"notices", bracket.notices}};
        for (const BracketFrame &f : bracket.frames)
            out["frames"].push_back(jsonOf(f));
        std::cout << out.dump(2) << "\n";
    };
}

} // namespace yolk::cli
