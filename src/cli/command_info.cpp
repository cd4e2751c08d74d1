#include "bracket_options.h"
#include "frame_report.h"

#include "frames/coverage.h"
#include "frames/exposure.h"
#include "frames/sureness.h"
#include "render/files/output.h"

#include <array>
#include <cmath>
#include <iomanip>
#include <iostream>

namespace yolk::cli {
namespace {

using nlohmann::json;

std::string shutterText(std::optional<double> seconds)
{
    if (!seconds)
        return "-";
    return *seconds < 0.3 ? textOf("1/%.0f s", 1.0 / *seconds) : textOf("%.3g s", *seconds);
}

void printTable(const Bracket &bracket, const Measured &measured, const Coverage &coverage)
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
    std::cout << coverageSentence(bracket, coverage) << "\n";
    if (const std::string sure = surenessSentence(bracket, measured.response, ResponseChoice::Automatic); !sure.empty())
        std::cout << sure << "\n";
    if (isTaken(measured.response, ResponseChoice::Automatic))
        std::cout << textOf("response: fitted from the set, frames agree within %.3f EV (%.3f by the profile)\n",
                            measured.response.disagreementAfter, measured.response.disagreementBefore);
    if (measured.fringes.source != Fringes::Source::None) {
        const Frame &f = *bracket.frames[bracket.reference].frame;
        std::cout << textOf("lens fringes: up to %.1f pixels, from %s\n",
                            measured.fringes.largestShift(f.width, f.height), wordOf(measured.fringes.source));
    }
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
        const Bracket bracket = bracketOf(sources, measured, Recipe());
        const Coverage coverage = coverageOf(bracket, measured.light);
        if (!options->json)
            return printTable(bracket, measured, coverage);
        json out = reportJson(bracket, measured);
        out["reference"] = bracket.frames[bracket.reference].number;
        std::cout << out.dump(2) << "\n";
    };
}

} // namespace yolk::cli
