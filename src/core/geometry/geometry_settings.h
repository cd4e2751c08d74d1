// The frame around the picture, and how it is straightened.
#pragma once

#include "base/fields.h"

#include <array>
#include <tuple>

namespace yolk {

enum class CropMode { Whole, Common };
enum class QuarterTurn { None, Right, Half, Left };
enum class Corners { Cut, Fill, Leave };
enum class CropShape { Free, AsShot, Square, FiveFour, ThreeTwo, SixteenNine, Own };

struct GeometrySettings {
    CropMode crop = CropMode::Whole;
    double angle = 0.0;                      ///< degrees: so far the picture is turned clockwise
    double tilt = 0.0, swing = 0.0;          ///< degrees that the camera is turned down and to the right
    double strength = 100.0;                 ///< percent of tilt and swing
    double distortion = 0.0;                 ///< percent: by how much a corner is moved out
    double bendAcross = 0.0, bendDown = 0.0; ///< percent by which upright, level lines bow outwards
    QuarterTurn turn = QuarterTurn::None;    ///< first of all
    bool flip = false;                       ///< left and right changed, behind the turn
    Corners corners = Corners::Cut;          ///< what becomes of corners that the frame does not reach
    CropShape shape = CropShape::Free;       ///< that the crop keeps while it is dragged
    double ownShape = 1.0;                   ///< width over height of CropShape::Own
    double left = 0.0, top = 0.0;            ///< of the crop, in shares of the picture's plane
    double right = 1.0, bottom = 1.0;        ///< the same
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
    Choice<Corners>{Corners::Fill, "fill", "Fill", "The edge of the frame goes on into corners that it does not reach"},
    Choice<Corners>{Corners::Leave, "leave", "Leave empty",
                    "Corners that the frame does not reach are transparent in TIFF, grey elsewhere"},
};

inline constexpr std::array kCropShapes{
    Choice<CropShape>{CropShape::Free, "free", "Free", "Sides are dragged one by one"},
    Choice<CropShape>{CropShape::AsShot, "frame", "Frame", "As wide over high as the frames"},
    Choice<CropShape>{CropShape::Square, "square", "1:1", "A square"},
    Choice<CropShape>{CropShape::FiveFour, "5-4", "5:4", "Five to four, or four to five"},
    Choice<CropShape>{CropShape::ThreeTwo, "3-2", "3:2", "Three to two, or two to three"},
    Choice<CropShape>{CropShape::SixteenNine, "16-9", "16:9", "Sixteen to nine, or nine to sixteen"},
    Choice<CropShape>{CropShape::Own, "own", "Own", "Any width over height"},
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
    RealField<GeometrySettings>{"bend_across", &GeometrySettings::bendAcross, -20, 20, 0, 0.1, 1, "%", "Bend",
                                "Upright lines",
                                "Bows upright lines outwards, or inwards below 0: by how much of its way "
                                "a corner moves"},
    RealField<GeometrySettings>{"bend_down", &GeometrySettings::bendDown, -20, 20, 0, 0.1, 1, "%", "Bend",
                                "Level lines",
                                "Bows level lines outwards, or inwards below 0: by how much of its way a corner moves"},
    ChoiceField<GeometrySettings, CropShape>{"shape", &GeometrySettings::shape, kCropShapes, "Crop", "Shape",
                                             "What the crop keeps while it is dragged"},
    RealField<GeometrySettings>{"own_shape", &GeometrySettings::ownShape, 0.1, 10, 1, 0.01, 3, "", "Crop",
                                "Width over height", "Shape of the crop",
                                [](const GeometrySettings &s) { return s.shape == CropShape::Own; }},
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
