#include "frames/sureness.h"

#include "base/text.h"

#include <algorithm>
#include <cmath>

namespace yolk {

std::string surenessSentence(const Bracket &bracket, const Response &response, ResponseChoice choice)
{
    const auto used = bracket.used();
    if (bracket.frames.size() < 2 || used.front()->frame->isRadiance())
        return {};
    for (const BracketFrame &f : bracket.frames)
        if (f.astray)
            return textOf(
                "frame %d could not be brought onto the others; one between its exposure and theirs would help",
                f.number);
    for (const BracketFrame *f : used)
        if (f->measured.source == ExposureSource::Assumed && !f->exposureTyped)
            return textOf("the exposure of frame %d is a guess: type it, or add a frame between it and the others",
                          f->number);
    double worst = 0.0;
    for (const BracketFrame *f : used)
        if (f->measured.source == ExposureSource::Estimated && !f->exposureTyped)
            worst = std::max(worst, f->measured.uncertainty);
    if (worst > 0.0)
        return textOf("exposures are estimated, within %.2g EV; files with exposure data would make them sure",
                      std::max(worst, 0.01));
    if (choice == ResponseChoice::Automatic && response.verdict == ResponseVerdict::Unsure)
        return "the camera's curve is unsure; one more frame 1 EV beside the middle one would settle it";
    for (const BracketFrame *f : used)
        if (f->measured.source == ExposureSource::Stated && std::abs(f->measured.pictureSays) > kBelievable)
            return textOf("frame %d does not look like its exposure data: type what is right", f->number);
    const bool curved = std::ranges::any_of(used, [](const BracketFrame *f) { return isDeveloped(*f->frame); });
    return curved ? "exposures and curve are sure" : "exposures are sure";
}

} // namespace yolk
