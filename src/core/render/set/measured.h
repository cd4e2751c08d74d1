// What is found once per set.
#pragma once

#include "align/align_frames.h"
#include "base/hash.h"
#include "frames/bracket.h"
#include "lens/fringes.h"
#include "recipe/recipe.h"
#include "render/set/sources.h"
#include "tone/tone_start.h"

#include <string>
#include <vector>

namespace yolk {

/// Raised when the same frames and recipe would give other pixels.
inline constexpr int kProcessVersion = 16;

/// What does not depend on the size of any request.
struct Measured {
    int processVersion = kProcessVersion;
    // What decoding, aligning and merging read
    std::vector<MeasuredFrame> frames; ///< in the order of Sources::frames
    Response response;                 ///< of the developed files among them
    std::vector<SensorPlace> defects;  ///< of the sensor, in raw frames of the camera `defectsOf`
    std::string defectsOf;
    Fringes fringes;                       ///< of the lens, where there are raw frames
    std::vector<FrameAlignment> alignment; ///< of frames, against one of them; full-resolution pixels
    double anchorExposure = 1.0;           ///< of the reference frame when the set was first opened
    Hash128 generation{};                  ///< identity of all that, as generationOf() has it
    // What comes after
    std::vector<LightSample> light; ///< places of the scene, for coverageOf()
    WhitePoint asShot;              ///< what the reference frame took as neutral
    WhitePoint automaticWhite;      ///< a guess from the picture
    ToneStart tone;
    bool operator==(const Measured &) const = default;
};

/// The settings that a picture begins with.
Recipe automaticStart(const Measured &measured);

/// The settings as they act on the picture: sections.h.
Recipe inForce(const Recipe &recipe, const Measured &measured);

/// The bracket as the recipe arranges it.
Bracket bracketOf(const Sources &sources, const Measured &measured, const Recipe &recipe);

} // namespace yolk
