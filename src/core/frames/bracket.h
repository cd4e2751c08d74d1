// A set of frames as it will be merged: dark to bright, which count, which one is the reference.
#pragma once

#include "base/fields.h"
#include "frames/measure.h"

#include <map>
#include <set>
#include <string>
#include <tuple>
#include <vector>

namespace yolk {

/// What the photographer decided about the frames. Frames are named by content id.
struct FrameChoice {
    std::string reference;                   ///< empty: automatic
    std::string keeper;                      ///< decides where moved things stand; empty: automatic
    std::set<std::string> excluded;          ///< left out of the merge
    std::set<std::string> removed;           ///< taken out of the set: they are not even listed
    std::set<std::string> unaligned;         ///< merged as they were shot although they cannot be aligned
    std::map<std::string, double> influence; ///< 0 .. 2, where it is not 1
    std::map<std::string, double> exposure;  ///< relative exposure, where the measured one is not believed
    bool operator==(const FrameChoice &) const = default;
};

/// What each of them changes first: which frames there are, which one the others are brought onto, how they are merged.
inline constexpr auto kFramesInUseFields = std::tuple{
    TextSetField<FrameChoice>{"excluded", &FrameChoice::excluded},
    TextSetField<FrameChoice>{"removed", &FrameChoice::removed},
    TextSetField<FrameChoice>{"unaligned", &FrameChoice::unaligned},
    NumberMapField<FrameChoice>{"exposure", &FrameChoice::exposure, 1e-9, 1e9},
};
inline constexpr auto kReferenceFields = std::tuple{TextField<FrameChoice>{"reference", &FrameChoice::reference}};
inline constexpr auto kFrameWeightFields = std::tuple{
    TextField<FrameChoice>{"keeper", &FrameChoice::keeper},
    NumberMapField<FrameChoice>{"influence", &FrameChoice::influence, 0.0, 2.0},
};

struct BracketFrame {
    FramePtr frame;
    MeasuredFrame measured;
    int number = 0;             ///< from 1, dark to bright
    int given = 0;              ///< from 1, in the order given
    double exposure = 1.0;      ///< relative exposure that counts: as measured, or as the photographer says
    bool exposureTyped = false; ///< the latter
    double ev = 0.0;            ///< exposure against the anchor, log2
    bool usable = true;         ///< false: it can never be merged with the others
    bool astray = false;        ///< it should be aligned and cannot be
    bool used = true;           ///< usable, not excluded
    bool decides = false;       ///< chosen by hand to say where things stand that moved
    double influence = 1.0;
    std::vector<std::string> notices; ///< in words, for people
};

struct Bracket {
    std::vector<BracketFrame> frames; ///< dark to bright; never empty
    size_t reference = 0;             ///< index of a used frame
    double anchorExposure = 1.0;      ///< relative exposure whose clipping is radiance 1.0
    std::vector<std::string> notices; ///< about the whole set

    std::vector<const BracketFrame *> used() const;
};

/// Darker than the frame that was the reference when the set was opened: noise reduction acts on these.
bool isDarkFrame(const BracketFrame &frame);

/// Whether frames are brought onto each other before they are merged.
enum class Placing { AsShot, Aligned };

/// Sorts, sizes up and chooses. `anchorExposure` 0 takes that of the reference frame. Frames whose pixel size or
/// colour profile is not that of most others are not usable; turned by 90 degrees they are where they can be aligned.
/// Frames that should be aligned and cannot be are left out unless the choice says otherwise. When everything is
/// excluded, or removed, nothing is. Where the chosen reference is unusable, the automatic one is taken and a notice of
/// the set says so: what is left of a set decides which frames are usable, so any edit can come to that.
/// Shapes: one measured entry per frame, same order. Throws ArgumentError (no frames, counts differ, influence or
/// exposure out of range).
Bracket arrangeBracket(std::span<const FramePtr> frames, std::span<const MeasuredFrame> measured,
                       const FrameChoice &choice, double anchorExposure = 0.0, Placing placing = Placing::AsShot);

} // namespace yolk
