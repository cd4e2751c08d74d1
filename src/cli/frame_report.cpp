#include "frame_report.h"

#include "frames/coverage.h"

#include <array>

namespace yolk::cli {
namespace {

using nlohmann::json;

template <class T> json orNull(const std::optional<T> &value)
{
    return value ? json(*value) : json();
}

const char *wordOf(ExposureSource source)
{
    constexpr std::array words{"stated", "refined", "corrected", "estimated", "assumed"};
    return words[size_t(source)];
}

const char *wordOf(NoiseSource source)
{
    constexpr std::array words{"assumed", "gain from picture, read noise assumed", "from picture"};
    return words[size_t(source)];
}

} // namespace

const char *wordOf(Fringes::Source source)
{
    constexpr std::array words{"none", "picture", "lens data"};
    return words[size_t(source)];
}

namespace {

json jsonOf(const Response &response)
{
    constexpr std::array kVerdicts{"nothing to compare", "profile agrees", "unsure", "found"};
    json curve = json::array(); // decoded by the profile, light of red, green and blue
    for (int i = 0; i <= 32; ++i) {
        const double y = i / 32.0 * (i / 32.0);
        curve.push_back({y, response.lightOf(y, 0), response.lightOf(y, 1), response.lightOf(y, 2)});
    }
    return {{"fitted", isTaken(response, ResponseChoice::Automatic)},
            {"verdict", kVerdicts[size_t(response.verdict)]},
            {"by_channel", response.byChannel},
            {"disagreement_before_ev", response.disagreementBefore},
            {"disagreement_after_ev", response.disagreementAfter},
            {"curve", curve}};
}

json jsonOf(const ChannelFringe &fringe)
{
    return {{"scale", fringe.scale}, {"bend", fringe.bend}};
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
            {"used", f.used},
            {"influence", f.influence},
            {"notices", f.notices}};
}

json jsonOf(const WhitePoint &white)
{
    return {{"temperature", white.temperature}, {"tint", white.tint}};
}

} // namespace

json jsonOf(const FrameAlignment &alignment, const Frame &reference)
{
    constexpr std::array words{"none", "shift", "rigid", "similarity", "homography"};
    const Registration &r = alignment.toReference;
    const Motion motion = motionOf(r.transform, reference.width, reference.height);
    return {{"found", alignment.found},
            {"model", words[size_t(r.model)]},
            {"right", motion.right},
            {"down", motion.down},
            {"clockwise_degrees", motion.clockwise},
            {"scale", motion.scale},
            {"corners", motion.corners},
            {"residual", r.residual},
            {"overlap", r.overlap},
            {"agreement", r.agreement},
            {"matrix", r.transform.m.m}};
}

json reportJson(const Bracket &bracket, const Measured &measured)
{
    const Coverage coverage = coverageOf(bracket, measured.light);
    json out = {{"notices", bracket.notices},
                {"coverage",
                 {{"sentence", coverageSentence(bracket, coverage)},
                  {"clipped_share", coverage.clipped},
                  {"dark_share", coverage.dark}}},
                {"response", jsonOf(measured.response)},
                {"fringes",
                 {{"source", wordOf(measured.fringes.source)},
                  {"red", jsonOf(measured.fringes.red)},
                  {"blue", jsonOf(measured.fringes.blue)}}},
                {"white_as_shot", jsonOf(measured.asShot)},
                {"white_automatic", jsonOf(measured.automaticWhite)}};
    for (size_t i : coverage.dispensable)
        out["coverage"]["adds_little"].push_back(bracket.frames[i].number);
    for (const BracketFrame &f : bracket.frames)
        out["frames"].push_back(jsonOf(f));
    return out;
}

} // namespace yolk::cli
