// Areas: parts of the picture that have settings of their own.
#pragma once

#include "base/fields.h"
#include "base/shared_list.h"

#include <array>
#include <map>
#include <string>
#include <tuple>
#include <type_traits>
#include <vector>

namespace yolk {

/// How a shape meets those before it. As with sets: the larger of two masks, the smaller of one and what the other
/// leaves, the smaller of two.
enum class Meets { Join, Cut, Intersect };

enum class ShapeKind {
    Whole,
    Gradient, ///< all on one side of a line, nothing beyond another one
    Oval,
    Brush,
    Stops, ///< a span of the light scale
    Hue    ///< a span of the hue ring
};

/// One stroke of a brush.
struct Stroke {
    PointList points{};   ///< pixels of the frame that it was drawn on
    PointList pressure{}; ///< x: share of the stroke's length, rising; y: share of the radius there. Empty: all of it
    double radius = 60.0;
    double flow = 100.0, feather = 50.0; ///< percent
    bool erases = false;
    bool operator==(const Stroke &) const = default;
};
inline constexpr size_t kMostStrokePoints = 4000, kMostStrokes = 2000;

struct AreaShape {
    ShapeKind kind = ShapeKind::Whole;
    Meets meets = Meets::Join;
    bool inverts = false;      ///< what it leaves, in place of what it holds
    bool keepsToEdges = false; ///< ends where the light changes, not where a hand slipped
    std::string drawnOn{};     ///< content id of the reference frame in whose pixels the places are
    PointList places{};    ///< Gradient: where it is whole and where it ends. Oval: middle and the ends of two radii
    double feather = 50.0; ///< Oval: percent of the radius
    SharedList<Stroke> strokes{};
    bool buildsUp = false;                    ///< strokes add up, in kBuildUpSteps to the whole, where others cover
    double low = 0.0, high = 4.0, soft = 1.0; ///< Stops: EV
    double hue = 60.0, hueWidth = 45.0;       ///< Hue: degrees of Oklab
    bool operator==(const AreaShape &) const = default;
};
inline constexpr int kBuildUpSteps = 8;

/// What an area adds to settings, by their paths ("tone.exposure"). Paths that this release does not know stay and do
/// nothing.
using AreaAmounts = std::map<std::string, double>;

struct Area {
    std::string name{};  ///< empty: by its first shape
    std::string group{}; ///< areas of one name are switched together; empty: none
    bool on = true;
    double strength = 100.0; ///< percent
    std::vector<AreaShape> shapes{};
    AreaAmounts amounts{};
    AreaAmounts outside{}; ///< the same where the area is not
    bool operator==(const Area &) const = default;
};
inline constexpr size_t kMostShapes = 20, kMostAreas = 1000;

struct AreasSettings {
    SharedList<Area> areas; ///< first to last: what is said of one setting adds up
    bool operator==(const AreasSettings &) const = default;
};

inline constexpr std::array kShapeKinds{
    Choice<ShapeKind>{ShapeKind::Whole, "whole", "Whole", "All of the picture"},
    Choice<ShapeKind>{ShapeKind::Gradient, "gradient", "Gradient", "From all on one side to nothing on the other"},
    Choice<ShapeKind>{ShapeKind::Oval, "oval", "Oval", "Round a place, with a soft rim"},
    Choice<ShapeKind>{ShapeKind::Brush, "brush", "Brush", "What is painted over"},
    Choice<ShapeKind>{ShapeKind::Stops, "stops", "Stops", "What is as bright as a span of the light scale"},
    Choice<ShapeKind>{ShapeKind::Hue, "hue", "Hue", "What has the colours of a span of the hue ring"},
};
inline constexpr std::array kMeetings{
    Choice<Meets>{Meets::Join, "join", "Join", "The area is what either of them holds"},
    Choice<Meets>{Meets::Cut, "cut", "Cut", "The area loses what this shape holds"},
    Choice<Meets>{Meets::Intersect, "intersect", "Intersect", "The area is what both of them hold"},
};

constexpr bool isBrush(const AreaShape &shape)
{
    return shape.kind == ShapeKind::Brush;
}
constexpr bool isStops(const AreaShape &shape)
{
    return shape.kind == ShapeKind::Stops;
}
constexpr bool isHue(const AreaShape &shape)
{
    return shape.kind == ShapeKind::Hue;
}
constexpr bool hasPlaces(const AreaShape &shape)
{
    return shape.kind == ShapeKind::Gradient || shape.kind == ShapeKind::Oval;
}
constexpr bool isDrawn(const AreaShape &shape)
{
    return hasPlaces(shape) || isBrush(shape);
}

inline constexpr auto kStrokeFields = std::tuple{
    PointsField<Stroke>{"points",
                        &Stroke::points,
                        {-1e6, -1e6},
                        {1e6, 1e6},
                        1,
                        kMostStrokePoints,
                        "Area",
                        "Points",
                        "Along the stroke; pixels of the picture"},
    PointsField<Stroke>{"pressure",
                        &Stroke::pressure,
                        {0, 0},
                        {1, 1},
                        0,
                        kMostStrokePoints,
                        "Area",
                        "Pressure",
                        "Of the pen along the stroke"},
    RealField<Stroke>{"radius", &Stroke::radius, 1, 10000, 60, 5, 0, "px", "Brush", "Size",
                      "Radius of the brush, in pixels of the picture"},
    RealField<Stroke>{"flow", &Stroke::flow, 1, 100, 100, 1, 0, "", "Brush", "Flow",
                      "How much a stroke covers, in percent"},
    RealField<Stroke>{"feather", &Stroke::feather, 0, 100, 50, 1, 0, "", "Brush", "Feather",
                      "How soft the rim of the brush is, in percent of its radius"},
    SwitchField<Stroke>{"erases", &Stroke::erases, "Brush", "Erase", "The next strokes take away"},
};

inline constexpr auto kShapeFields = std::tuple{
    ChoiceField<AreaShape, ShapeKind>{"kind", &AreaShape::kind, kShapeKinds, "Area", "Shape", "What the area is"},
    ChoiceField<AreaShape, Meets>{"meets", &AreaShape::meets, kMeetings, "Area", "Meets",
                                  "How this shape meets those before it"},
    SwitchField<AreaShape>{"inverts", &AreaShape::inverts, "Area", "Turn round",
                           "The area is what the shape leaves in place of what it holds"},
    SwitchField<AreaShape>{"keeps_to_edges", &AreaShape::keepsToEdges, "Area", "Keep to edges",
                           "The area ends where the light or the colour of what it covers ends, however roughly it was "
                           "drawn",
                           isDrawn},
    TextField<AreaShape>{"drawn_on", &AreaShape::drawnOn, isDrawn},
    PointsField<AreaShape>{"places",
                           &AreaShape::places,
                           {-1e6, -1e6},
                           {1e6, 1e6},
                           0,
                           3,
                           "Area",
                           "Places",
                           "Pixels of the picture",
                           hasPlaces},
    RealField<AreaShape>{"feather", &AreaShape::feather, 0, 100, 50, 1, 0, "", "Area", "Feather",
                         "How much of the radius the soft rim takes, in percent",
                         [](const AreaShape &s) { return s.kind == ShapeKind::Oval; }},
    ListField<AreaShape, Stroke, std::remove_const_t<decltype(kStrokeFields)>, SharedList<Stroke>>{
        "strokes", &AreaShape::strokes, &kStrokeFields, kMostStrokes, isBrush},
    SwitchField<AreaShape>{"builds_up", &AreaShape::buildsUp, "Area", "Strokes add up",
                           "Every stroke adds a little; otherwise strokes cover", isBrush},
    RealField<AreaShape>{"low", &AreaShape::low, -30, 30, 0, 0.1, 1, "EV", "Area", "From",
                         "The darkest light that belongs to it", isStops},
    RealField<AreaShape>{"high", &AreaShape::high, -30, 30, 4, 0.1, 1, "EV", "Area", "To",
                         "The brightest light that belongs to it", isStops},
    RealField<AreaShape>{"soft", &AreaShape::soft, 0.05, 8, 1, 0.1, 1, "EV", "Area", "Soft ends",
                         "How many stops beyond its ends the area fades over", isStops},
    RealField<AreaShape>{"hue", &AreaShape::hue, 0, 360, 60, 1, 0, "\u00b0", "Area", "Hue",
                         "The hue in the middle of the span", isHue},
    RealField<AreaShape>{"hue_width", &AreaShape::hueWidth, 5, 180, 45, 1, 0, "\u00b0", "Area", "Width",
                         "How far from that hue the area ends, to either side", isHue},
};

inline constexpr auto kAreaFields = std::tuple{
    TextField<Area>{"name", &Area::name},
    TextField<Area>{"group", &Area::group},
    SwitchField<Area>{"on", &Area::on, "Area", "On", "Whether the area acts"},
    RealField<Area>{"strength", &Area::strength, 0, 100, 100, 1, 0, "", "Area", "Strength",
                    "How much of its settings acts, in percent"},
    ListField<Area, AreaShape, std::remove_const_t<decltype(kShapeFields)>>{"shapes", &Area::shapes, &kShapeFields,
                                                                            kMostShapes},
    NumberMapField<Area>{"amounts", &Area::amounts, -1000, 1000},
    NumberMapField<Area>{"outside", &Area::outside, -1000, 1000},
};

inline constexpr auto kAreasFields = std::tuple{
    ListField<AreasSettings, Area, std::remove_const_t<decltype(kAreaFields)>, SharedList<Area>>{
        "list", &AreasSettings::areas, &kAreaFields, kMostAreas, nullptr, "Areas"},
};

/// Whether it changes a pixel.
inline bool acts(const Area &area)
{
    const auto moves = [](const AreaAmounts &amounts) {
        for (const auto &[path, amount] : amounts)
            if (amount != 0.0)
                return true;
        return false;
    };
    return area.on && area.strength != 0.0 && !area.shapes.empty() && (moves(area.amounts) || moves(area.outside));
}

} // namespace yolk
