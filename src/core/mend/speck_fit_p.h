// Whether one place of the sensor holds a speck: what stands there, fitted and judged from all sides.
#pragma once

#include <opencv2/core.hpp>

#include <vector>

namespace yolk {

inline constexpr double kSpeckWindow = 1.9; ///< radii of what a speck is held against

/// What a frame shows beyond what is expected there, and how sure that is; planes of one size, on the sensor.
struct Evidence {
    cv::Mat residual, weight; ///< stops, per square of a stop
    cv::Mat covered{};        ///< 255 where there was something to hold it against, whatever came of it
};

// Places are pixels, centres at +0.5; radii pixels; depths stops.

/// Dark on all sides, as far as noise lets anybody tell.
bool isRound(const Evidence &of, const cv::Point2d &at, double radius, double depth);

/// Round it, from `inner` to `outer` radii, no direction is darker or lighter than the others by much of its depth, as it is
/// along lines and edges. Opposite directions count together, so that light may slope.
bool isAlone(const Evidence &of, const cv::Point2d &at, double radius, double depth, double inner, double outer);

/// Light all round is smooth: what a speck on a plane leaves is a small part of its depth, over a window twice as wide.
bool isOnSmoothLight(const Evidence &light, const cv::Point2d &at, double radius, double depth);

/// The place and the radius that fit best, and the depth with them: what was found at one of a few radii is known better.
void refine(const Evidence &of, cv::Point2d &at, double &radius, double &depth);

} // namespace yolk
