// Which geometry makes lines of a picture level and upright.
#pragma once

#include "base/exec_context.h"
#include "geometry/picture_map.h"
#include "image/image.h"

#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// A straight edge of the scene, pixels of the reference frame.
struct SceneLine {
    Point a, b;
    bool operator==(const SceneLine &) const = default;
};

/// What may be moved to straighten a picture.
enum class Straightening { Angle, Verticals, All };

/// The settings with angle, tilt and swing such that each line is as nearly level or upright, whichever it is nearer to,
/// as the others allow: least squares of their directions, by Gauss and Newton. Of what the lines do not determine (tilt
/// needs two upright ones, swing two level ones, apart from each other) nothing is moved. Strength becomes 100. Empty
/// where there is no line, or none of a length.
/// Throws ArgumentError (size).
std::optional<GeometrySettings> straightened(const GeometrySettings &settings, std::span<const SceneLine> lines,
                                             Straightening what, int width, int height, const Optics &optics);

/// Straight edges of a picture, longest first: by their gradients' common direction. Shapes: one plane, at least
/// 16 x 16, values as they are seen (0 .. 1). Pixels of it. Throws ArgumentError, Cancelled.
/// Source: [vonGioi2010], OpenCV's LineSegmentDetector.
std::vector<SceneLine> findLines(ImageView<const float> seen, ExecContext &ctx);

/// The same from lines that were found, of which many are of other directions: weights fall with what contradicts.
/// Empty where too few agree: the lines that do must be as long, together, as half of the picture's diagonal.
std::optional<GeometrySettings> straightenedByMost(const GeometrySettings &settings, std::span<const SceneLine> lines,
                                                   Straightening what, int width, int height, const Optics &optics);

} // namespace yolk
