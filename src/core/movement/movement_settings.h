// What happens with things that moved between the frames.
#pragma once

#include "base/fields.h"
#include "base/point.h"

#include <array>
#include <string>
#include <tuple>
#include <type_traits>
#include <vector>

namespace yolk {

enum class MovementMode { Off, On };

/// What the photographer wants in a part of the picture.
enum class HandTask {
    Treat,      ///< movement is looked for here only, and in other parts of this task
    LeaveAlone, ///< merged as if nothing moved
    TakeFrom,   ///< from one frame, whatever moved
    Remove,     ///< what is in the way goes, wherever another frame shows what stands behind it
};

/// A part of the picture that was drawn by hand.
struct HandRegion {
    HandTask task = HandTask::Treat;
    std::string frame;   ///< TakeFrom: content id
    std::string drawnOn; ///< content id of the reference frame in whose pixels the points are
    double radius = 0.0; ///< of a brush, pixels; 0: the points go round an area
    PointList points;    ///< 1 to kMostPoints
    bool operator==(const HandRegion &) const = default;
};
inline constexpr size_t kMostPoints = 4000, kMostRegions = 200;

struct MovementSettings {
    MovementMode mode = MovementMode::On;
    double sensitivity = 50.0;
    std::vector<HandRegion> regions; ///< later ones win
    bool operator==(const MovementSettings &) const = default;
};

inline constexpr std::array kMovementModes{
    Choice<MovementMode>{MovementMode::Off, "off", "Off", "All frames count everywhere; what moved shows through"},
    Choice<MovementMode>{MovementMode::On, "on", "On",
                         "What moved is shown in one state, where nothing moved all frames count"},
};
inline constexpr std::array kHandTasks{
    Choice<HandTask>{HandTask::Treat, "treat", "Treat only here",
                     "Movement is looked for in these areas and nowhere else"},
    Choice<HandTask>{HandTask::LeaveAlone, "leave", "Leave this alone", "Here all frames count, whatever moved"},
    Choice<HandTask>{HandTask::TakeFrom, "take", "Take from a frame", "Here one frame counts and no other"},
    Choice<HandTask>{HandTask::Remove, "remove", "Remove what is in the way",
                     "What moved goes, wherever other frames show what stands behind it"},
};

/// Of a drawn area.
inline constexpr auto kHandRegionFields = std::tuple{
    ChoiceField<HandRegion, HandTask>{"task", &HandRegion::task, kHandTasks, "Movement", "By hand",
                                      "What is wanted in a part of the picture"},
    TextField<HandRegion>{"frame", &HandRegion::frame,
                          [](const HandRegion &region) { return region.task == HandTask::TakeFrom; }},
    TextField<HandRegion>{"drawn_on", &HandRegion::drawnOn},
    PointsField<HandRegion>{"points",
                            &HandRegion::points,
                            {-1e6, -1e6},
                            {1e6, 1e6},
                            1,
                            kMostPoints,
                            "Movement",
                            "Shape",
                            "Round an area, or along a stroke; pixels of the picture"},
    RealField<HandRegion>{"radius", &HandRegion::radius, 0, 10000, 60, 5, 0, "px", "Movement", "Brush",
                          "How wide the brush of Take from paints, in pixels of the picture"},
};

constexpr bool isTreated(const MovementSettings &settings)
{
    return settings.mode == MovementMode::On;
}

inline constexpr auto kMovementFields = std::tuple{
    ChoiceField<MovementSettings, MovementMode>{"mode", &MovementSettings::mode, kMovementModes, "Movement", "Movement",
                                                "Shows what moved between the frames in one clean state"},
    RealField<MovementSettings>{"sensitivity", &MovementSettings::sensitivity, 0, 100, 50, 1, 0, "", "Movement",
                                "Sensitivity",
                                "How faint a difference between frames counts as movement; at 0 only what was drawn by "
                                "hand is treated",
                                isTreated},
    ListField<MovementSettings, HandRegion, std::remove_const_t<decltype(kHandRegionFields)>>{
        "regions", &MovementSettings::regions, &kHandRegionFields, kMostRegions, isTreated},
};

} // namespace yolk
