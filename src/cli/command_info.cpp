#include "bracket_options.h"

#include "frames/coverage.h"
#include "frames/exposure.h"
#include "render/output.h"

#include <nlohmann/json.hpp>

#include <array>
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
    constexpr std::array words{"stated", "refined", "estimated", "assumed"};
    return words[size_t(source)];
}

const char *wordOf(NoiseSource source)
{
    constexpr std::array words{"assumed", "gain from picture, read noise assumed", "from picture"};
    return words[size_t(source)];
}

const char *wordOf(Fringes::Source source)
{
    constexpr std::array words{"none", "picture", "lens data"};
    return words[size_t(source)];
}

json jsonOf(const Response &response)
{
    json curve = json::array(); // decoded by the profile, light
    for (int i = 0; i <= 32; ++i) {
        const double y = i / 32.0 * (i / 32.0);
        curve.push_back({y, response.lightOf(y)});
    }
    return {{"fitted", response.fitted},
            {"disagreement_before_ev", response.disagreementBefore},
            {"disagreement_after_ev", response.disagreementAfter},
            {"curve", curve}};
}

json jsonOf(const ChannelFringe &fringe)
{
    return {{"scale", fringe.scale}, {"bend", fringe.bend}};
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
            {"exposure", f.exposure},
            {"exposure_stated", orNull(f.measured.stated)},
            {"exposure_source", wordOf(f.measured.source)},
            {"exposure_uncertainty_ev", f.measured.uncertainty},
            {"picture_says_ev", f.measured.pictureSays},
            {"clipped_share", f.measured.clippedShare},
            {"dark_share", f.measured.darkShare},
            {"noise",
             {{"gain", f.measured.noise.gain},
              {"read_variance", f.measured.noise.readVariance},
              {"source", wordOf(f.measured.noiseSource)}}},
            {"usable", f.usable},
            {"notices", f.notices}};
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
    if (measured.response.fitted)
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
        const Bracket bracket = bracketOf(sources, measured, {});
        const Coverage coverage = coverageOf(bracket, measured.light);
        if (!options->json)
            return printTable(bracket, measured, coverage);
        const auto whiteJson = [](const WhitePoint &w) {
            return json{{"temperature", w.temperature}, {"tint", w.tint}};
        };
        json out = {{"reference", bracket.frames[bracket.reference].number},
                    {"notices", bracket.notices},
                    {"coverage",
                     {{"sentence", coverageSentence(bracket, coverage)},
                      {"clipped_share", coverage.clipped},
                      {"dark_share", coverage.dark}}},
                    {"response", jsonOf(measured.response)},
                    {"fringes",
                     {{"source", wordOf(measured.fringes.source)},
                      {"red", jsonOf(measured.fringes.red)},
                      {"blue", jsonOf(measured.fringes.blue)}}},
                    {"white_as_shot", whiteJson(measured.asShot)},
                    {"white_automatic", whiteJson(measured.automaticWhite)}};
        for (size_t i : coverage.dispensable)
            out["coverage"]["adds_little"].push_back(bracket.frames[i].number);
        for (const BracketFrame &f : bracket.frames)
            out["frames"].push_back(jsonOf(f));
        std::cout << out.dump(2) << "\n";
    };
}

} // namespace yolk::cli
