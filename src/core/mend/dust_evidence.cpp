#include "mend/dust_evidence_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace yolk {
namespace {

constexpr double kLeastSnr = 4.0; // of a pixel that says something
constexpr double kSlip = 0.1;     // pixels of the finest level: what alignment leaves where near and far move
constexpr double kNothing = std::numeric_limits<double>::quiet_NaN();
constexpr double kMostStops = 1.5; // of a residual: half as much again as the deepest speck; more is another thing

/// Whether the frame shows most of a level's pixel, and not beside what clips. That alignment is not believed there does not
/// count: what speaks against it may be the dust.
bool isShown(const Image<uint8_t> &trust, int x, int y, int level)
{
    constexpr double kMost = 0.7;
    const int side = 1 << level, x1 = std::min((x + 1) * side, trust.width()),
              y1 = std::min((y + 1) * side, trust.height());
    int shown = 0;
    for (int v = y * side; v < y1; ++v)
        for (int u = x * side; u < x1; ++u)
            shown += trust.row(0, v)[u] >= kNotBelieved;
    return shown >= kMost * double(x1 - x * side) * double(y1 - y * side);
}

/// From pixels of one frame to those of another, at a level.
Transform between(const DustFrame &from, const DustFrame &to, int level)
{
    return to.toFrame.after(from.toFrame.inverted()).scaled(1.0 / (1 << level));
}

/// The weights of a frame where it saw from far enough beside.
cv::Mat weightFromBeside(const Against::Other &other, double leastMotion)
{
    cv::Mat out = other.weight->clone();
    for (int y = 0; y < out.rows; ++y)
        for (int x = 0; x < out.cols; ++x)
            if (!other.isBeside(x, y, leastMotion))
                out.at<float>(y, x) = 0.0f;
    return out;
}

/// The same plane seen by a sensor.
cv::Mat onSensor(const cv::Mat &plane, const SensorMap &map, double beyond = 0.0)
{
    if (map.x.empty())
        return plane;
    cv::Mat out;
    cv::remap(plane, out, map.x, map.y, cv::INTER_LINEAR, cv::BORDER_CONSTANT, cv::Scalar(beyond));
    return out;
}

} // namespace

LogLight logLightOf(const DustFrame &frame, int level)
{
    const GuideLevel &from = frame.guide.levels[size_t(level)];
    LogLight out{cv::Mat(from.light.height(), from.light.width(), CV_32F, cv::Scalar(0)),
                 cv::Mat(from.light.height(), from.light.width(), CV_32F, cv::Scalar(0))};
    for (int y = 0; y < from.light.height(); ++y) {
        const float *light = from.light.row(0, y);
        for (int x = 0; x < from.light.width(); ++x) {
            if (!from.valid.row(0, y)[x] || !(light[x] > 0.0f) || (frame.trust && !isShown(*frame.trust, x, y, level)))
                continue;
            const double l = double(light[x]), variance = frame.guide.variance(l, level);
            if (l * l < kLeastSnr * kLeastSnr * variance)
                continue;
            out.stops.at<float>(y, x) = float(std::log2(l));
            const double perStop = l * std::numbers::ln2;
            out.weight.at<float>(y, x) = float(perStop * perStop / variance);
        }
    }
    return out;
}

cv::Point2d SensorMap::at(const cv::Point2d &sensor) const
{
    if (x.empty())
        return sensor;
    const cv::Point pixel(std::clamp(int(sensor.x), 0, x.cols - 1), std::clamp(int(sensor.y), 0, x.rows - 1));
    return {double(x.at<float>(pixel)) + sensor.x - pixel.x, double(y.at<float>(pixel)) + sensor.y - pixel.y};
}

SensorMap sensorMapOf(const DustFrame &frame, const cv::Size &size, int level, ExecContext &ctx)
{
    const bool isStraight = !frame.displacements || frame.displacements->empty();
    if (frame.toFrame.isIdentity() && isStraight)
        return {};
    constexpr int kRounds = 3; // displacements change slowly
    const double factor = 1 << level;
    const Transform back = frame.toFrame.inverted();
    SensorMap out{cv::Mat(size, CV_32F), cv::Mat(size, CV_32F)};
    ExecContext own = ctx.child({});
    forEachBand(own, size.height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < size.width; ++x) {
                const Point sensor{(x + 0.5) * factor, (y + 0.5) * factor};
                Point at = back(sensor);
                for (int i = 0; i < kRounds && !isStraight; ++i) {
                    const Point by = frame.displacements->at(at);
                    at = back({sensor.x - by.x, sensor.y - by.y});
                }
                out.x.at<float>(y, x) = float(at.x / factor - 0.5);
                out.y.at<float>(y, x) = float(at.y / factor - 0.5);
            }
    });
    return out;
}

void toSensor(cv::Mat &values, cv::Mat &weights, const SensorMap &map)
{
    if (map.x.empty())
        return;
    const cv::Mat known = weights > 0.0f;
    const cv::Mat weighted = onSensor(values.mul(weights), map), knownThere = onSensor(known, map);
    weights = onSensor(weights, map);
    weights.setTo(0.0f, knownThere < 255);
    values = cv::Mat(values.size(), CV_32F, cv::Scalar(0));
    cv::divide(weighted, weights, values);
    values.setTo(0.0f, weights <= 0.0f);
}

bool Against::Other::isBeside(int x, int y, double leastMotion) const
{
    const Point from = here({x + 0.5, y + 0.5}), to = there({x + 0.5, y + 0.5});
    return std::hypot(to.x - from.x, to.y - from.y) >= leastMotion;
}

std::vector<Against::Ghost> Against::ghostsOf(const cv::Point2d &at) const
{
    constexpr double kLeastShare = 0.02;
    std::vector<Ghost> out;
    for (const Other &other : from) {
        const Point there = other.toHere({at.x, at.y});
        const cv::Point2d place(there.x, there.y), onReference = map->at(place);
        const cv::Point pixel(int(std::floor(onReference.x)), int(std::floor(onReference.y)));
        if (!cv::Rect(0, 0, sum.cols, sum.rows).contains(pixel) || !(sum.at<float>(pixel) > 0.0f) ||
            !other.isBeside(pixel.x, pixel.y, leastMotion))
            continue;
        const double share = double(other.weight->at<float>(pixel)) / double(sum.at<float>(pixel));
        if (share > kLeastShare)
            out.push_back({place, share});
    }
    return out;
}

std::vector<Against> againstOthers(std::span<const DustFrame> frames, const std::vector<LogLight> &lights,
                                   const std::vector<SensorMap> &maps, int level, double leastMotion, ExecContext &ctx)
{
    const cv::Size size = lights.front().stops.size();
    const double scale = 1.0 / (1 << level);
    const float slip = float(kSlip * scale);
    std::vector<Against> out;
    for (size_t f = 0; f < frames.size(); ++f) {
        Against own;
        own.leastMotion = leastMotion;
        cv::Mat stops(size, CV_32F, cv::Scalar(0)), squares = stops.clone();
        cv::Mat count = stops.clone(), known;
        own.sum = stops.clone();
        for (size_t g = 0; g < frames.size(); ++g) {
            if (g == f)
                continue;
            ctx.throwIfStopped();
            const Against::Other &other = own.from.emplace_back(
                Against::Other{between(frames[g], frames[f], level), frames[f].toFrame.scaled(scale),
                               frames[g].toFrame.scaled(scale), &lights[g].weight});
            const cv::Mat weight = weightFromBeside(other, leastMotion);
            const cv::Mat value = lights[g].stops.mul(weight);
            stops += value;
            squares += value.mul(lights[g].stops);
            own.sum += weight;
            cv::threshold(weight, known, 0.0, 1.0, cv::THRESH_BINARY);
            count += known;
        }
        cv::Mat residual(size, CV_32F, cv::Scalar(0)), weight = residual.clone();
        own.others = cv::Mat(size, CV_32F);
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x) {
                const float theirs = own.sum.at<float>(y, x);
                own.others.at<float>(y, x) = theirs > 0.0f ? stops.at<float>(y, x) / theirs : float(kNothing);
            }
        for (int y = 1; y + 1 < size.height; ++y)
            for (int x = 1; x + 1 < size.width; ++x) {
                const float theirs = own.sum.at<float>(y, x), ours = lights[f].weight.at<float>(y, x),
                            mean = own.others.at<float>(y, x);
                if (!(theirs > 0.0f) || !(ours > 0.0f))
                    continue;
                const float r = lights[f].stops.at<float>(y, x) - mean;
                if (std::abs(r) > float(kMostStops))
                    continue;
                const float across = 0.5f * (own.others.at<float>(y, x + 1) - own.others.at<float>(y, x - 1)),
                            down = 0.5f * (own.others.at<float>(y + 1, x) - own.others.at<float>(y - 1, x));
                const float slope = across * across + down * down, n = count.at<float>(y, x);
                const float spread =
                    n > 1.5f ? std::max(0.0f, squares.at<float>(y, x) / theirs - mean * mean) / (n - 1.0f) : 0.0f;
                residual.at<float>(y, x) = r;
                weight.at<float>(y, x) =
                    1.0f / (1.0f / ours + 1.0f / theirs + spread + (std::isfinite(slope) ? slip * slip * slope : 0.0f));
            }
        own.evidence = {residual, weight, onSensor(own.sum > 0.0f, maps[f])};
        toSensor(own.evidence.residual, own.evidence.weight, maps[f]);
        own.others = onSensor(own.others, maps[f], kNothing);
        own.light = {lights[f].stops.clone(), lights[f].weight.clone()};
        toSensor(own.light.stops, own.light.weight, maps[f]);
        own.map = &maps[f];
        out.push_back(std::move(own));
    }
    return out;
}

} // namespace yolk
