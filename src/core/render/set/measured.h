// What is found once per set.
#pragma once

#include "align/align_frames.h"
#include "base/hash.h"
#include "frames/bracket.h"
#include "frames/measure.h"
#include "lens/fringes.h"
#include "recipe/recipe.h"
#include "render/set/sources.h"
#include "tone/tone_start.h"

#include <string>
#include <vector>

namespace yolk {

/// Raised when the same frames and recipe would give other pixels.
extern const int kProcessVersion;

/// What is known of the frames, in the order of Sources::frames, before any of them is merged.
struct PlacedSet : MeasuredSet {
    Fringes fringes;                       ///< of the lens, where there are raw frames
    std::vector<FrameAlignment> alignment; ///< of frames, against one of them; full-resolution pixels
    bool operator==(const PlacedSet &) const = default;
};

/// What does not depend on the size of any request.
struct Measured : PlacedSet {
    int processVersion = kProcessVersion;
    double anchorExposure = 1.0; ///< of the reference frame when the set was first opened
    Hash128 generation{};        ///< identity of all that decoding, aligning and merging read: generationOf()
    WhitePoint asShot;           ///< what the reference frame took as neutral
    WhitePoint automaticWhite;   ///< a guess from the picture
    ToneStart tone;
    bool ringsFilled = false; ///< light below zero round the lamps of merged radiance: frames/overshoot.h
    bool operator==(const Measured &) const = default;
};

/// The settings that a picture begins with.
Recipe automaticStart(const Measured &measured);

/// The settings as they act on the picture: sections.h.
Recipe inForce(const Recipe &recipe, const Measured &measured);

/// The bracket as settings in force arrange it; anchorExposure 0: the reference frame's.
Bracket bracketOf(const Sources &sources, const PlacedSet &set, double anchorExposure, const Recipe &recipe);
/// The same by any settings.
Bracket bracketOf(const Sources &sources, const Measured &measured, const Recipe &recipe);

} // namespace yolk
