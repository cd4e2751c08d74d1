#include "geometry/straighten.h"

#include "base/errors.h"

#include <Eigen/Dense>
#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

struct Weighted {
    SceneLine line;
    double weight;
};

double lengthOf(const SceneLine &line)
{
    return std::hypot(line.b.x - line.a.x, line.b.y - line.a.y);
}

/// How far a line is from level or upright in the picture: the sine of the angle. Upright ones turn to 0 by x.
struct Slant {
    double sine;
    bool upright;
};
Slant slantOf(const PictureMap &map, const SceneLine &line)
{
    const Point a = map.toPicture(line.a), b = map.toPicture(line.b);
    const double dx = b.x - a.x, dy = b.y - a.y, length = std::hypot(dx, dy);
    if (!(length > 0.0) || !std::isfinite(length))
        return {0.0, false};
    const bool upright = std::abs(dy) > std::abs(dx);
    return {upright ? dx / length * (dy > 0.0 ? 1.0 : -1.0) : -dy / length * (dx > 0.0 ? 1.0 : -1.0), upright};
}

using Parameters = Eigen::Vector3d; // angle, tilt, swing in degrees

GeometrySettings with(GeometrySettings settings, const Parameters &p)
{
    settings.angle = p[0];
    settings.tilt = p[1];
    settings.swing = p[2];
    return settings;
}

class Solver {
public:
    Solver(const GeometrySettings &settings, int width, int height, double focal)
        : settings_(settings), width_(width), height_(height), focal_(focal)
    {
        settings_.strength = 100.0;
    }
    PictureMap mapOf(const Parameters &p) const { return {with(settings_, p), width_, height_, focal_}; }

    /// Parameters that are not free stay what they are in `start`.
    Parameters solve(Parameters start, std::span<const Weighted> lines, const std::array<bool, 3> &free) const
    {
        constexpr double kStep = 1e-3, kMost = 45.0; // degrees
        for (int i = 0; i < 12; ++i) {
            const PictureMap here = mapOf(start);
            Eigen::Matrix3d normal = Eigen::Matrix3d::Identity() * 1e-12;
            Eigen::Vector3d right = Eigen::Vector3d::Zero();
            std::array<std::optional<PictureMap>, 3> beside;
            for (int k = 0; k < 3; ++k)
                if (free[size_t(k)])
                    beside[size_t(k)] = mapOf(start + Parameters::Unit(k) * kStep);
            for (const Weighted &w : lines) {
                const Slant slant = slantOf(here, w.line);
                Eigen::Vector3d slope = Eigen::Vector3d::Zero();
                for (int k = 0; k < 3; ++k)
                    if (free[size_t(k)])
                        slope[k] = (slantOf(*beside[size_t(k)], w.line).sine - slant.sine) / kStep;
                normal += w.weight * slope * slope.transpose();
                right -= w.weight * slope * slant.sine;
            }
            Parameters step = normal.ldlt().solve(right);
            for (int k = 0; k < 3; ++k)
                step[k] = free[size_t(k)] && std::isfinite(step[k]) ? std::clamp(step[k], -10.0, 10.0) : 0.0;
            start += step;
            start = start.cwiseMax(-kMost).cwiseMin(kMost);
            if (step.cwiseAbs().maxCoeff() < 1e-7)
                break;
        }
        return start;
    }

    /// What lines of these weights can tell: a tilt shows in upright lines that stand apart, a swing in level ones.
    std::array<bool, 3> determined(const Parameters &at, std::span<const Weighted> lines, Straightening what) const
    {
        constexpr double kApart = 0.08; // of the picture's longer side: spread of their middles
        const PictureMap map = mapOf(at);
        std::array<double, 2> sum{}, middle{}, square{};
        double all = 0.0;
        for (const Weighted &w : lines) {
            const bool upright = slantOf(map, w.line).upright;
            const double place = upright ? 0.5 * (w.line.a.x + w.line.b.x) : 0.5 * (w.line.a.y + w.line.b.y);
            sum[upright] += w.weight;
            middle[upright] += w.weight * place;
            square[upright] += w.weight * place * place;
            all += w.weight;
        }
        const auto spread = [&](size_t kind) {
            if (!(sum[kind] > 0.0))
                return 0.0;
            const double mean = middle[kind] / sum[kind];
            return std::sqrt(std::max(0.0, square[kind] / sum[kind] - mean * mean)) / std::max(width_, height_);
        };
        return {all > 0.0, what != Straightening::Angle && spread(1) > kApart,
                what == Straightening::All && spread(0) > kApart};
    }

    Parameters start(Straightening what) const
    {
        return {settings_.angle, what == Straightening::Angle ? settings_.tilt : 0.0,
                what == Straightening::All ? 0.0 : settings_.swing};
    }
    const GeometrySettings &settings() const { return settings_; }

private:
    GeometrySettings settings_;
    int width_, height_;
    double focal_;
};

} // namespace

std::optional<GeometrySettings> straightened(const GeometrySettings &settings, std::span<const SceneLine> lines,
                                             Straightening what, int width, int height, double focal)
{
    const Solver solver(settings, width, height, focal);
    std::vector<Weighted> weighted;
    for (const SceneLine &line : lines)
        if (lengthOf(line) > 0.0)
            weighted.push_back({line, 1.0});
    if (weighted.empty())
        return std::nullopt;
    Parameters start = solver.start(what);
    start[0] = 0.0;
    const auto free = solver.determined(start, weighted, what);
    return with(solver.settings(), solver.solve(start, weighted, free));
}

std::optional<GeometrySettings> straightenedByMost(const GeometrySettings &settings, std::span<const SceneLine> lines,
                                                   Straightening what, int width, int height, double focal)
{
    constexpr double kLean = 25.0;             // degrees: what leans further is meant to
    constexpr double kWide = 4.0, kFine = 0.4; // degrees that a line may contradict, first and last
    constexpr int kRounds = 16;
    const Solver solver(settings, width, height, focal);
    Parameters at = solver.start(what);
    at[0] = 0.0;
    const double diagonal = std::hypot(width, height);
    double agreed = 0.0;
    std::vector<Weighted> weighted;
    for (int round = 0; round < kRounds; ++round) {
        const double scale = kWide * std::pow(kFine / kWide, double(round) / (kRounds - 1)) * std::numbers::pi / 180.0;
        const PictureMap map = solver.mapOf(at);
        weighted.clear();
        agreed = 0.0;
        for (const SceneLine &line : lines) {
            const double length = lengthOf(line), sine = slantOf(map, line).sine;
            if (std::abs(sine) > std::sin(kLean * std::numbers::pi / 180.0))
                continue;
            const double part = 1.0 / (1.0 + sine * sine / (scale * scale));
            weighted.push_back({line, length * length * part * part}); // its direction is known by its length
            agreed += length * part * part;
        }
        if (weighted.empty())
            return std::nullopt;
        at = solver.solve(at, weighted, solver.determined(at, weighted, what));
    }
    if (agreed < 0.5 * diagonal)
        return std::nullopt;
    return with(solver.settings(), at);
}

std::vector<SceneLine> findLines(ImageView<const float> seen, ExecContext &ctx)
{
    if (seen.planes() != 1 || seen.width() < 16 || seen.height() < 16)
        throw ArgumentError("a picture to find lines in has one plane of at least 16 x 16");
    ctx.throwIfStopped();
    cv::Mat grey(seen.height(), seen.width(), CV_8UC1);
    for (int y = 0; y < seen.height(); ++y)
        for (int x = 0; x < seen.width(); ++x)
            grey.at<uchar>(y, x) = uchar(std::lround(std::clamp(double(seen.row(0, y)[x]), 0.0, 1.0) * 255.0));
    std::vector<cv::Vec4f> found;
    cv::createLineSegmentDetector(cv::LSD_REFINE_STD)->detect(grey, found);
    ctx.throwIfStopped();
    const double least = 0.03 * std::hypot(seen.width(), seen.height());
    std::vector<SceneLine> out;
    for (const cv::Vec4f &line : found) // its pixel centres lie at whole numbers
        if (const SceneLine l{{line[0] + 0.5, line[1] + 0.5}, {line[2] + 0.5, line[3] + 0.5}}; lengthOf(l) >= least)
            out.push_back(l);
    std::ranges::sort(out, std::greater(), lengthOf);
    return out;
}

} // namespace yolk
