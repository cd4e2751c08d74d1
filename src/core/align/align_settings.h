// How frames are brought onto each other.
#pragma once

#include "align/registration.h"
#include "base/fields.h"

#include <array>
#include <tuple>

namespace yolk {

enum class AlignMode { Off, On };

struct AlignSettings {
    AlignMode mode = AlignMode::On;
    ModelChoice model = ModelChoice::Automatic;
    AlignMode local = AlignMode::On;
    bool operator==(const AlignSettings &) const = default;
};

inline constexpr std::array kAlignModes{
    Choice<AlignMode>{AlignMode::Off, "off", "Off", "Frames are merged as they were shot"},
    Choice<AlignMode>{AlignMode::On, "on", "On", "Frames are brought onto the reference frame"},
};
inline constexpr std::array kModelChoices{
    Choice<ModelChoice>{ModelChoice::Automatic, "automatic", "Automatic",
                        "The simplest motion that explains what the frames show"},
    Choice<ModelChoice>{ModelChoice::Shift, "shift", "Shift", "Right and left, up and down only"},
    Choice<ModelChoice>{ModelChoice::Rigid, "rigid", "Turn", "Shift and rotation"},
    Choice<ModelChoice>{ModelChoice::Similarity, "similarity", "Zoom", "Shift, rotation and size"},
    Choice<ModelChoice>{ModelChoice::Homography, "homography", "Tilt",
                        "All that a turned camera does, perspective too"},
};
inline constexpr std::array kLocalModes{
    Choice<AlignMode>{AlignMode::Off, "off", "Off", "One motion for the whole frame"},
    Choice<AlignMode>{AlignMode::On, "on", "On",
                      "Near things that moved further than far ones are followed; what still differs is left to the "
                      "other frames"},
};

constexpr bool isAligned(const AlignSettings &settings)
{
    return settings.mode == AlignMode::On;
}

inline constexpr auto kAlignFields = std::tuple{
    ChoiceField<AlignSettings, AlignMode>{"mode", &AlignSettings::mode, kAlignModes, "Alignment", "Align",
                                          "Brings hand-held frames onto the reference frame"},
    ChoiceField<AlignSettings, ModelChoice>{"model", &AlignSettings::model, kModelChoices, "Alignment", "Motion",
                                            "What the camera may have done between two frames", isAligned},
    ChoiceField<AlignSettings, AlignMode>{"local", &AlignSettings::local, kLocalModes, "Alignment", "Near and far",
                                          "Follows parallax: what a single motion of the frame does not explain",
                                          isAligned},
};

} // namespace yolk
