#include "frames/exposure.h"

#include <cmath>

namespace yolk {
namespace {

double nearestStep(double log2Value, double steps)
{
    return std::round(log2Value * steps) / steps;
}

std::optional<double> commonValue(std::span<const Metadata> set, std::optional<double> Metadata::*member)
{
    std::optional<double> common;
    for (const Metadata &m : set) {
        if (!(m.*member))
            continue;
        if (common && *common != *(m.*member))
            return std::nullopt;
        common = m.*member;
    }
    return common;
}

} // namespace

double exposureValue(double fNumber, double seconds)
{
    return std::log2(fNumber * fNumber / seconds);
}

double relativeExposure(double seconds, double fNumber, double iso)
{
    return seconds * iso / (fNumber * fNumber);
}

StepFamily stepFamilyOf(std::span<const double> markedSeconds)
{
    // 1/6 s is the worst marked third (0.085 EV off), 1/60 s the worst half (0.093 EV off 1/64).
    constexpr double kWorstRounding = 0.096;
    double thirds = 0.0, halves = 0.0, worstThird = 0.0, worstHalf = 0.0;
    for (double t : markedSeconds) {
        const double v = std::log2(t);
        const double third = std::abs(v - nearestStep(v, 3)), half = std::abs(v - nearestStep(v, 2));
        thirds += third;
        halves += half;
        worstThird = std::max(worstThird, third);
        worstHalf = std::max(worstHalf, half);
    }
    const bool thirdsFit = worstThird <= kWorstRounding, halvesFit = worstHalf <= kWorstRounding;
    if (thirdsFit && (!halvesFit || thirds <= halves))
        return StepFamily::Thirds;
    return halvesFit ? StepFamily::Halves : StepFamily::AsWritten;
}

double exactSeconds(double markedSeconds, StepFamily family)
{
    if (family == StepFamily::AsWritten)
        return markedSeconds;
    return std::exp2(nearestStep(std::log2(markedSeconds), family == StepFamily::Thirds ? 3 : 2));
}

double exactFNumber(double marked, StepFamily family)
{
    if (family == StepFamily::AsWritten)
        return marked;
    // In stops of light: 2 log2(N). Marked f-numbers carry two digits, so they lie close to their steps.
    return std::exp2(nearestStep(2.0 * std::log2(marked), family == StepFamily::Thirds ? 3 : 2) / 2.0);
}

std::vector<std::optional<double>> statedExposures(std::span<const Metadata> set)
{
    std::vector<double> marked;
    for (const Metadata &m : set)
        if (m.exposureSeconds)
            marked.push_back(*m.exposureSeconds);
    const StepFamily family = stepFamilyOf(marked);
    const double fNumber = commonValue(set, &Metadata::fNumber).value_or(8.0);
    const double iso = commonValue(set, &Metadata::iso).value_or(100.0);
    std::vector<std::optional<double>> out;
    for (const Metadata &m : set) {
        std::optional<double> seconds;
        if (m.exposureSeconds) {
            seconds = exactSeconds(*m.exposureSeconds, family);
            constexpr double kAgree =
                0.12; // EV; beyond it one of the two tags is wrong, and ExposureTime is the checked one
            if (family == StepFamily::AsWritten && m.shutterApex &&
                std::abs(std::log2(*seconds) + *m.shutterApex) < kAgree)
                seconds = std::exp2(-*m.shutterApex);
        } else if (m.shutterApex) {
            seconds = std::exp2(-*m.shutterApex);
        }
        out.push_back(seconds ? std::optional(relativeExposure(
                                    *seconds, exactFNumber(m.fNumber.value_or(fNumber), family), m.iso.value_or(iso)))
                              : std::nullopt);
    }
    return out;
}

} // namespace yolk
