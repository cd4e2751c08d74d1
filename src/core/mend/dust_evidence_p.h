// What dust is looked for in: each frame, on its own sensor, against what the others show of the same places.
#pragma once

#include "mend/dust.h"
#include "mend/speck_fit_p.h"

#include <opencv2/core.hpp>

#include <vector>

namespace yolk {

/// Log light of one frame at a level, with the inverse of its variance; 0 where it says nothing.
struct LogLight {
    cv::Mat stops, weight;
};
LogLight logLightOf(const DustFrame &frame, int level);

/// Where a frame's sensor pixels lie on the reference, at a level; empty: where they are.
struct SensorMap {
    cv::Mat x, y;
    cv::Point2d at(const cv::Point2d &sensor) const; ///< inside the picture
};
SensorMap sensorMapOf(const DustFrame &frame, const cv::Size &size, int level, ExecContext &ctx);

/// What stands on the pixels of the reference, on those of the sensor: values by their weights.
void toSensor(cv::Mat &values, cv::Mat &weights, const SensorMap &map);

/// A frame against others, on its sensor; pixels of a level.
struct Against {
    Evidence evidence; ///< its log light over theirs
    LogLight light;    ///< its own
    cv::Mat others;    ///< their log light; NaN where they show nothing
    /// Dust takes light from the others too: there this frame looks brighter, by their share in the mean.
    struct Ghost {
        cv::Point2d at;
        double share;
    };
    std::vector<Ghost> ghostsOf(const cv::Point2d &at) const;

    struct Other {
        Transform toHere;      ///< from its sensor to where this frame shows the same
        Transform here, there; ///< from the reference to both sensors
        const cv::Mat *weight; ///< on the reference
        bool isBeside(int x, int y, double leastMotion) const;
    };
    std::vector<Other> from;
    cv::Mat sum;                    ///< of the others' weights, on the reference
    const SensorMap *map = nullptr; ///< must outlive this, as the weights must
    double leastMotion = 0.0;
};

/// At each place a frame is held against those that saw it from at least `leastMotion` pixels beside: what lies nearer would
/// show the same dust. `lights` and `maps` are of the frames at that level; both must outlive what is returned.
std::vector<Against> againstOthers(std::span<const DustFrame> frames, const std::vector<LogLight> &lights,
                                   const std::vector<SensorMap> &maps, int level, double leastMotion, ExecContext &ctx);

} // namespace yolk
