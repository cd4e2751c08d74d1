// The frame around the picture, and how it is straightened.
#pragma once

#include "base/fields.h"

#include <array>
#include <tuple>

namespace yolk {

enum class CropMode { Whole, Common };
enum class QuarterTurn { None, Right, Half, Left };
enum class Corners { Cut, Leave };

struct GeometrySettings {
    CropMode crop = CropMode::Whole;
    double angle = 0.0;                   ///< degrees: so far the picture is turned clockwise
    double tilt = 0.0, swing = 0.0;       ///< degrees that the camera is turned down and to the right
    double strength = 100.0;              ///< percent of tilt and swing
    double distortion = 0.0;              ///< percent: by how much a corner is moved out
    QuarterTurn turn = QuarterTurn::None; ///< first of all
    bool flip = false;                    ///< left and right changed, behind the turn
    Corners corners = Corners::Cut;       ///< what becomes of corners that the frame does not reach
    double left = 0.0, top = 0.0;         ///< of the crop, in shares of the picture's plane
    double right = 1.0, bottom = 1.0;     ///< the same
    bool operator==(const GeometrySettings &) const = default;
};

inline constexpr std::array kCropModes{
    Choice<CropMode>{CropMode::Whole, "whole", "Whole frame",
                     "All of the reference frame; edges may come from few frames"},
    Choice<CropMode>{CropMode::Common, "common", "Common area", "Only what all frames in use show"},
};
inline constexpr std::array kQuarterTurns{
    Choice<QuarterTurn>{QuarterTurn::None, "none", "0\u00b0", "As the camera was held"},
    Choice<QuarterTurn>{QuarterTurn::Right, "right", "90\u00b0", "A quarter turn to the right"},
    Choice<QuarterTurn>{QuarterTurn::Half, "half", "180\u00b0", "Upside down"},
    Choice<QuarterTurn>{QuarterTurn::Left, "left", "270\u00b0", "A quarter turn to the left"},
};
inline constexpr std::array kCornerWays{
    Choice<Corners>{Corners::Cut, "cut", "Cut off", "The picture is as large as it can be without empty corners"},
    Choice<Corners>{Corners::Leave, "leave", "Leave empty", "Corners that the frame does not reach stay grey"},
};

inline constexpr auto kGeometryFields = std::tuple{
    ChoiceField<GeometrySettings, CropMode>{"crop", &GeometrySettings::crop, kCropModes, "Edges", "Edges",
                                            "What of the reference frame is kept"},
};

inline constexpr auto kPictureMapFields = std::tuple{
    RealField<GeometrySettings>{"angle", &GeometrySettings::angle, -45, 45, 0, 0.1, 2, "\u00b0", "Straighten", "Angle",
                                "Turns the picture clockwise"},
    ChoiceField<GeometrySettings, QuarterTurn>{"turn", &GeometrySettings::turn, kQuarterTurns, "Straighten",
                                               "Quarter turns", "Turns the picture by right angles"},
    SwitchField<GeometrySettings>{"flip", &GeometrySettings::flip, "Straighten", "Mirrored",
                                  "Left and right change their places"},
    RealField<GeometrySettings>{
        "tilt", &GeometrySettings::tilt, -45, 45, 0, 0.1, 2, "\u00b0", "Verticals", "Verticals",
        "Makes walls upright that lean towards each other above, as if the camera had been held "
        "so much higher"},
    RealField<GeometrySettings>{"swing", &GeometrySettings::swing, -45, 45, 0, 0.1, 2, "\u00b0", "Verticals",
                                "Horizontals",
                                "Makes level lines parallel that run together at the right, as if the camera had been "
                                "turned so much to the left"},
    RealField<GeometrySettings>{"strength", &GeometrySettings::strength, 0, 100, 100, 1, 0, "%", "Verticals",
                                "Strength",
                                "How much of both acts: walls that stand fully upright often look top-heavy",
                                [](const GeometrySettings &s) { return s.tilt != 0.0 || s.swing != 0.0; }},
    RealField<GeometrySettings>{"distortion", &GeometrySettings::distortion, -20, 20, 0, 0.1, 1, "%", "Lens",
                                "Distortion",
                                "Straightens lines that bow outwards below 0, inwards above: by how much of its way a "
                                "corner moves"},
    ChoiceField<GeometrySettings, Corners>{"corners", &GeometrySettings::corners, kCornerWays, "Crop", "Corners",
                                           "What becomes of corners that the frame does not reach"},
    RealField<GeometrySettings>{"left", &GeometrySettings::left, 0, 1, 0, 0.01, 3, "", "Crop", "Left",
                                "Where the crop begins, in shares of the picture's width"},
    RealField<GeometrySettings>{"top", &GeometrySettings::top, 0, 1, 0, 0.01, 3, "", "Crop", "Top",
                                "Where the crop begins, in shares of the picture's height"},
    RealField<GeometrySettings>{"right", &GeometrySettings::right, 0, 1, 1, 0.01, 3, "", "Crop", "Right",
                                "Where the crop ends, in shares of the picture's width"},
    RealField<GeometrySettings>{"bottom", &GeometrySettings::bottom, 0, 1, 1, 0.01, 3, "", "Crop", "Bottom",
                                "Where the crop ends, in shares of the picture's height"},
};

} // namespace yolk
