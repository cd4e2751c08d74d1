#include "frames/coverage.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kClean = 10.0, kDrowned = 1.0; // signal-to-noise ratios
constexpr double kLittle = 0.001;               // share of the pixels
constexpr double kAlike = 2e-4;                 // one or two of 8000 samples

/// Of one sample: squared signal-to-noise ratio that each frame brings; negative where the frame clips.
struct Held {
    std::vector<float> squares; ///< samples x frames
    size_t frames = 0;
    const float *of(size_t sample) const { return squares.data() + sample * frames; }
};

Held heldBy(const Bracket &bracket, std::span<const LightSample> samples)
{
    Held out{{}, bracket.frames.size()};
    out.squares.reserve(samples.size() * out.frames);
    for (const LightSample &s : samples)
        for (const BracketFrame &f : bracket.frames) {
            const double green = std::max(0.0, double(s.green) * f.exposure);
            const bool clips = double(s.most) * f.exposure >= kClippedFrom;
            out.squares.push_back(clips ? -1.0f : float(green * green / f.measured.noise.variance(green)));
        }
    return out;
}

struct Lost {
    double clipped = 0.0, dark = 0.0, unclean = 0.0; ///< shares; unclean: clipped or below kClean
};

Lost lostWith(const Held &held, size_t samples, const std::vector<bool> &used)
{
    Lost out;
    if (samples == 0)
        return out;
    for (size_t s = 0; s < samples; ++s) {
        const float *squares = held.of(s);
        float sum = 0.0f;
        bool clipped = true;
        for (size_t f = 0; f < held.frames; ++f)
            if (used[f] && squares[f] >= 0.0f) {
                sum += squares[f];
                clipped = false;
            }
        out.clipped += clipped;
        out.dark += !clipped && double(sum) < kDrowned * kDrowned;
        out.unclean += clipped || double(sum) < kClean * kClean;
    }
    const double n = double(samples);
    return {out.clipped / n, out.dark / n, out.unclean / n};
}

double meanGain(const Held &held, size_t samples, const std::vector<bool> &used, size_t of)
{
    double stops = 0.0, counted = 0.0;
    for (size_t s = 0; s < samples; ++s) {
        const float *squares = held.of(s);
        double all = 0.0;
        for (size_t f = 0; f < held.frames; ++f)
            all += used[f] ? double(std::max(squares[f], 0.0f)) : 0.0;
        const double without = all - double(std::max(squares[of], 0.0f));
        if (all <= 0.0)
            continue;
        // What only this frame holds counts as much as ten times the signal-to-noise ratio.
        stops += std::min(0.5 * std::log2(all / std::max(without, 1e-9)), std::log2(kClean));
        counted += 1.0;
    }
    return counted > 0.0 ? stops / counted : 0.0;
}

std::string listed(const std::vector<int> &numbers)
{
    std::string out;
    for (size_t i = 0; i < numbers.size(); ++i)
        out += (i == 0 ? "" : i + 1 == numbers.size() ? " and " : ", ") + std::to_string(numbers[i]);
    return out;
}

/// The next exposure of the series on one side: "one at −6 EV".
std::string beyond(const Bracket &bracket, double sign)
{
    const auto used = bracket.used();
    const double span = used.back()->ev - used.front()->ev;
    const double step = std::clamp(span / double(std::max<size_t>(1, used.size() - 1)), 1.0, 3.0);
    return "one at " + signedText((sign > 0.0 ? used.back()->ev : used.front()->ev) + sign * step, 0) + " EV";
}

} // namespace

Coverage coverageOf(const Bracket &bracket, std::span<const LightSample> samples)
{
    Coverage out;
    out.frames.resize(bracket.frames.size());
    const Held held = heldBy(bracket, samples);
    std::vector<bool> used;
    for (const BracketFrame &f : bracket.frames)
        used.push_back(f.used);
    const Lost all = lostWith(held, samples.size(), used);
    out.clipped = all.clipped;
    out.dark = all.dark;
    if (samples.empty())
        return out;
    for (size_t i = 0; i < used.size(); ++i) {
        if (!used[i])
            continue;
        std::vector<bool> without = used;
        without[i] = false;
        out.frames[i] = {lostWith(held, samples.size(), without).unclean - all.unclean,
                         meanGain(held, samples.size(), used, i)};
    }
    // One at a time, the least needed first, always against the whole set: of two frames that repeat each other one
    // stays.
    std::vector<bool> left = used;
    while (true) {
        size_t least = used.size();
        double leastLoss = kLittle, leastGain = 0.0;
        for (size_t i = 0; i < left.size(); ++i) {
            if (!left[i] || i == bracket.reference)
                continue;
            std::vector<bool> without = left;
            without[i] = false;
            const double loss = lostWith(held, samples.size(), without).unclean - all.unclean;
            const double gain = out.frames[i].gainStops;
            // Of frames that are needed alike the one that brings least goes, of equals the brighter one.
            const bool alike = least < used.size() && std::abs(loss - leastLoss) < kAlike;
            if (alike ? gain < 1.05 * leastGain : loss < leastLoss) {
                least = i;
                leastLoss = loss;
                leastGain = gain;
            }
        }
        if (least == used.size())
            break;
        left[least] = false;
        out.dispensable.push_back(least);
    }
    std::ranges::sort(out.dispensable);
    return out;
}

std::string coverageSentence(const Bracket &bracket, const Coverage &coverage)
{
    const size_t count = bracket.used().size();
    std::string out = count == 1 ? "one frame holds" : std::to_string(count) + " frames hold";
    const double lost = coverage.clipped + coverage.dark;
    if (lost < 5e-5)
        out += " the whole picture";
    else
        out += textOf(" all but %.*f %% of the picture", lost < 0.001 ? 2 : lost < 0.1 ? 1 : 0, 100.0 * lost);
    // A sun or a lamp may stay white: what is less than a thousandth is not called missing.
    if (coverage.clipped >= kLittle && coverage.clipped >= coverage.dark)
        out += count == 1 ? ": it is too bright for the rest" : ": a darker frame is missing, " + beyond(bracket, -1.0);
    else if (coverage.dark >= kLittle)
        out += count == 1 ? ": it is too dark for the rest" : ": a brighter frame is missing, " + beyond(bracket, 1.0);
    std::vector<int> idle;
    for (size_t i : coverage.dispensable)
        idle.push_back(bracket.frames[i].number);
    if (idle.size() == 1)
        out += "; frame " + listed(idle) + " adds little";
    else if (!idle.empty())
        out += "; frames " + listed(idle) + " add little";
    return out;
}

} // namespace yolk
