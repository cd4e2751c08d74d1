#include "frames/bracket.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kSameExposure = 0.1; // EV; closer frames repeat each other

/// Index of a frame with which most others share pixel size and colour; the earliest of equals.
size_t mostTypical(std::span<const FramePtr> frames, bool (*alike)(const Frame &, const Frame &))
{
    size_t best = 0;
    ptrdiff_t bestCount = -1;
    for (size_t i = 0; i < frames.size(); ++i) {
        const auto count = std::ranges::count_if(frames, [&](const FramePtr &f) { return alike(*f, *frames[i]); });
        if (count > bestCount) {
            best = i;
            bestCount = count;
        }
    }
    return best;
}

bool sameSize(const Frame &a, const Frame &b)
{
    return a.width == b.width && a.height == b.height;
}
bool sameColour(const Frame &a, const Frame &b)
{
    // The white balance may differ from frame to frame; that of the reference counts for all. Profiles round their
    // numbers to 1.5e-5 and adapt white in several ways: sRGB embedded and sRGB assumed must be the same.
    for (int row = 0; row < 3; ++row)
        for (int c = 0; c < 3; ++c) {
            const auto balanced = [&](const CodeValues &v) { return v.toRec2020(row, c) * v.neutral[size_t(c)]; };
            if (std::abs(balanced(a.codeValues) - balanced(b.codeValues)) > 1e-3)
                return false;
        }
    return true;
}

bool turnedSize(const Frame &a, const Frame &b)
{
    return a.width == b.height && a.height == b.width;
}

void judge(BracketFrame &f, const Frame &typicalSize, const Frame &typicalColour, Placing placing)
{
    const bool aligned = placing == Placing::Aligned && f.measured.aligned.value_or(false);
    if (f.frame->isRadiance() && f.frame.get() != &typicalSize) {
        f.usable = false;
        f.notices.push_back("is merged already: open it alone");
        return;
    }
    const bool turned = aligned && turnedSize(*f.frame, typicalSize) && !sameSize(*f.frame, typicalSize);
    if (turned)
        f.notices.push_back("is turned by 90 degrees against the others, and turned back");
    if (!turned && !sameSize(*f.frame, typicalSize)) {
        f.usable = false;
        f.notices.push_back(textOf("%d x %d pixels, the others %d x %d: cannot be used", f.frame->width,
                                   f.frame->height, typicalSize.width, typicalSize.height));
    } else if (!sameColour(*f.frame, typicalColour)) {
        f.usable = false;
        f.notices.push_back("colour profile " + f.frame->codeValues.name + ", the others " +
                            typicalColour.codeValues.name + ": cannot be used");
    }
    if (!f.frame->metadata.problem.empty())
        f.notices.push_back(f.frame->metadata.problem);
    f.astray = f.usable && placing == Placing::Aligned && !f.measured.aligned.value_or(true);
    if (f.frame->isRadiance() || f.exposureTyped)
        return;
    if (f.measured.source == ExposureSource::Estimated)
        f.notices.push_back(textOf("no exposure data: estimated from the picture, within %.2g EV",
                                   std::max(0.01, f.measured.uncertainty)));
    else if (f.measured.source == ExposureSource::Assumed)
        f.notices.push_back("no exposure data and too little in common with the others to estimate it");
    else if (f.measured.source == ExposureSource::Corrected)
        f.notices.push_back("its exposure data are " + signedText(-f.measured.pictureSays, 1) +
                            " EV off what the picture shows: the picture is followed");
    else if (std::abs(f.measured.pictureSays) > kBelievable)
        f.notices.push_back("the picture looks " + signedText(f.measured.pictureSays, 1) +
                            " EV off its exposure data: the data are used");
}

void compareNeighbours(Bracket &bracket)
{
    const BracketFrame *last = nullptr;
    for (BracketFrame &f : bracket.frames) {
        if (!f.used)
            continue;
        if (last && std::abs(f.ev - last->ev) < kSameExposure)
            f.notices.push_back(textOf("repeats the exposure of frame %d", last->number));
        last = &f;
    }
    const auto &reference = bracket.frames[bracket.reference].frame->metadata.fNumber;
    for (BracketFrame &f : bracket.frames)
        if (const auto &n = f.frame->metadata.fNumber; n && reference && std::abs(*n / *reference - 1.0) > 0.02)
            f.notices.push_back(textOf("f/%.3g, the reference f/%.3g: depth of field differs", *n, *reference));
}

void judgeSet(Bracket &bracket)
{
    const auto used = bracket.used();
    if (used.front()->frame->isRadiance()) {
        bracket.notices.push_back("merged already: this is radiance");
        return;
    }
    double share = 1.0;
    for (const BracketFrame *f : used)
        share = std::min(share, f->measured.whiteShare);
    constexpr double kWorthSaying = 0.995;
    if (share < kWorthSaying)
        bracket.notices.push_back(
            textOf("pixels clip at %.0f %% of the level that the files state: found in the picture", 100.0 * share));
    double bands = 0.0, rim = 0.0;
    for (const BracketFrame *f : used) {
        const Unevenness &uneven = f->measured.unevenness;
        for (double band : uneven.bands)
            bands = std::max(bands, std::abs(band));
        rim = std::max(rim, std::abs(uneven.rim));
    }
    constexpr double kSeen = 0.03; // EV
    if (bands > kSeen)
        bracket.notices.push_back(textOf("lamps flickered: bands of up to %.2f EV were evened", bands));
    if (rim > kSeen)
        bracket.notices.push_back(textOf("apertures differ: up to %.2f EV at the rim were evened", rim));
    if (used.size() == 1)
        bracket.notices.push_back("one frame: nothing to merge, the picture has the range of that frame");
    else if (used.back()->ev - used.front()->ev < kSameExposure)
        bracket.notices.push_back("all frames have the same exposure: less noise, but no more range");
    if (std::ranges::none_of(bracket.frames, [](const auto &f) { return f.measured.stated.has_value(); }))
        bracket.notices.push_back(used.size() == 1 ? "no exposure data in the file"
                                                   : "no exposure data in any file: exposures are estimated");
}

} // namespace

std::vector<const BracketFrame *> Bracket::used() const
{
    std::vector<const BracketFrame *> out;
    for (const BracketFrame &f : frames)
        if (f.used)
            out.push_back(&f);
    return out;
}

bool isDarkFrame(const BracketFrame &frame)
{
    constexpr double kDarker = 0.5; // EV
    return frame.usable && frame.ev < -kDarker;
}

Bracket arrangeBracket(std::span<const FramePtr> given, std::span<const MeasuredFrame> measured,
                       const FrameChoice &choice, double anchorExposure, Placing placing)
{
    if (given.empty() || given.size() != measured.size())
        throw ArgumentError(textOf("bracket of %zu frames with %zu measurements", given.size(), measured.size()));
    for (const auto &[id, influence] : choice.influence)
        if (!(influence >= 0.0 && influence <= 2.0))
            throw ArgumentError("influence of frame " + id + " = " + shortestText(influence) + ": must lie in 0 to 2");
    for (const auto &[id, exposure] : choice.exposure)
        if (!(exposure >= 1e-9 && exposure <= 1e9))
            throw ArgumentError("exposure of frame " + id + " = " + shortestText(exposure) +
                                ": must lie in 1e-9 to 1e9");

    std::vector<FramePtr> frames;
    std::vector<size_t> places; // in the order given
    const auto isRemoved = [&](const FramePtr &f) { return choice.removed.contains(f->id); };
    const bool allRemoved = std::ranges::all_of(given, isRemoved);
    for (size_t i = 0; i < given.size(); ++i)
        if (allRemoved || !isRemoved(given[i])) {
            frames.push_back(given[i]);
            places.push_back(i);
        }

    // Radiance is a picture of its own: beside frames it cannot be used, and only the first of several.
    std::vector<FramePtr> mergeable;
    std::ranges::copy_if(frames, std::back_inserter(mergeable), [](const FramePtr &f) { return !f->isRadiance(); });
    if (mergeable.empty())
        mergeable.push_back(frames.front());
    const Frame &typicalSize = *mergeable[mostTypical(mergeable, &sameSize)];
    std::vector<FramePtr> sized;
    std::ranges::copy_if(mergeable, std::back_inserter(sized),
                         [&](const FramePtr &f) { return sameSize(*f, typicalSize); });
    const Frame &typicalColour = *sized[mostTypical(sized, &sameColour)];

    Bracket out;
    for (size_t i = 0; i < frames.size(); ++i) {
        BracketFrame f;
        f.frame = frames[i];
        f.measured = measured[places[i]];
        f.given = int(places[i]) + 1;
        f.decides = !choice.keeper.empty() && frames[i]->id == choice.keeper;
        if (const auto found = choice.influence.find(frames[i]->id); found != choice.influence.end())
            f.influence = found->second;
        f.exposure = f.measured.exposure;
        if (const auto typed = choice.exposure.find(frames[i]->id); typed != choice.exposure.end()) {
            f.exposure = typed->second;
            f.exposureTyped = true;
        }
        judge(f, typicalSize, typicalColour, placing);
        const bool left = f.astray && !choice.unaligned.contains(frames[i]->id);
        if (f.astray)
            f.notices.push_back(left ? "cannot be aligned: shows something else, or too little in common; left out"
                                     : "cannot be aligned: merged as it was shot");
        f.used = f.usable && !left && !choice.excluded.contains(frames[i]->id) && f.influence > 0.0;
        out.frames.push_back(std::move(f));
    }
    std::ranges::stable_sort(out.frames, {}, [](const BracketFrame &f) { return f.exposure; });
    for (size_t i = 0; i < out.frames.size(); ++i)
        out.frames[i].number = int(i) + 1;
    if (out.used().empty()) // the picture never vanishes: the last frame cannot be left out
        for (BracketFrame &f : out.frames) {
            f.used = f.usable;
            f.influence = 1.0;
        }

    const auto used = out.used();
    const BracketFrame *reference = used[(used.size() - 1) / 2]; // median exposure, the lower of two
    if (!choice.reference.empty())
        for (const BracketFrame &f : out.frames)
            if (f.frame->id == choice.reference) {
                if (f.used)
                    reference = &f;
                else if (!f.usable)
                    out.notices.push_back(f.frame->name + " cannot be the reference frame: frame " +
                                          std::to_string(reference->number) + " is instead");
            }
    out.reference = size_t(reference - out.frames.data());
    out.anchorExposure = anchorExposure > 0.0 ? anchorExposure : reference->exposure;
    for (BracketFrame &f : out.frames)
        f.ev = std::log2(f.exposure / out.anchorExposure);
    compareNeighbours(out);
    judgeSet(out);
    return out;
}

} // namespace yolk
