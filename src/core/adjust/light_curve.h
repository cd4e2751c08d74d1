// Curves through points: of luminance and of each channel.
#pragma once

#include "adjust/adjustment.h"
#include "base/fields.h"

#include <optional>
#include <tuple>
#include <vector>

namespace yolk {

inline const PointList kStraight{{0.0, 0.0}, {1.0, 1.0}};

struct CurveSettings {
    PointList luminance = kStraight, red = kStraight, green = kStraight, blue = kStraight;
    bool operator==(const CurveSettings &) const = default;
};

struct LightCurve {
    using Settings = CurveSettings;
    static constexpr std::string_view kKey = "curve";
    static constexpr Light kActsOn = Light::Display;
    static constexpr size_t kMost = 16;
    static constexpr auto kFields = std::tuple{
        PointsField<Settings>{"luminance",
                              &Settings::luminance,
                              {0, 0},
                              {1, 1},
                              2,
                              kMost,
                              "Curve",
                              "Luminance",
                              "Light out over light in, both as a screen codes them; colours keep their ratios"},
        PointsField<Settings>{"red", &Settings::red, {0, 0}, {1, 1}, 2, kMost, "Curve", "Red", "The same of red alone"},
        PointsField<Settings>{
            "green", &Settings::green, {0, 0}, {1, 1}, 2, kMost, "Curve", "Green", "The same of green alone"},
        PointsField<Settings>{
            "blue", &Settings::blue, {0, 0}, {1, 1}, 2, kMost, "Curve", "Blue", "The same of blue alone"},
    };
    /// Codes are those of sRGB on linear Rec. 2020; curves as MonotoneSpline, points in any order, of two at one place the
    /// last. Luminance first: R, G and B are scaled by what the curve makes of their luminance, and take grey where that is
    /// lifted from black. Light above 1 is scaled as 1 is.
    static AdjustmentPtr make(const Varied<Settings> &settings);
    /// What a curve of these points makes of a code.
    static double coded(const PointList &points, double code);
    /// The same of even steps from 0 to 1.
    static std::vector<double> coded(const PointList &points, size_t steps);
    static constexpr double kApart = 0.01; ///< of two points, at least
    /// With a point more, in order; empty where another is too near, or there are kMost.
    static std::optional<PointList> withPoint(const PointList &points, const Point &point);
};

} // namespace yolk
