#include "geometry/straighten.h"

#include "base/errors.h"

#include <Eigen/Dense>
#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

constexpr double kFine = 0.4 * std::numbers::pi / 180.0;  // that a line may contradict
constexpr double kLean = 25.0 * std::numbers::pi / 180.0; // what leans further is meant to

/// Falls with the sine of what a line is off.
double trust(double sine, double scale)
{
    const double part = 1.0 / (1.0 + sine * sine / (scale * scale));
    return part * part;
}

struct Weighted {
    SceneLine line;
    double weight;
};

double lengthOf(const SceneLine &line)
{
    return std::hypot(line.b.x - line.a.x, line.b.y - line.a.y);
}

/// Whether so many of `count` lines agree more than chance would have it, when `free` of them decide where: the expected
/// number of such agreements among lines of any lean. Source: [Desolneux2000], a contrario.
bool isMeant(size_t agreeing, size_t count, size_t free)
{
    constexpr double kByChance = 0.05;
    constexpr double kShare = kFine / kLean; // of the leans that are looked at
    if (agreeing <= free)
        return false;
    double tries = 1.0; // choices of those that decide
    for (size_t i = 0; i < free; ++i)
        tries *= double(count - i) / double(i + 1);
    const size_t rest = count - free, wanted = agreeing - free;
    double now = std::pow(1.0 - kShare, double(rest)), some = 0.0; // that just k agree; that enough do
    for (size_t k = 0; k <= rest; ++k) {
        some += k >= wanted ? now : 0.0;
        now *= double(rest - k) / double(k + 1) * kShare / (1.0 - kShare);
    }
    return tries * some < kByChance;
}

/// Lines of which none is the other edge of a bar or the same one again: longest first.
std::vector<SceneLine> apart(std::span<const SceneLine> lines, double nearest)
{
    std::vector<SceneLine> out;
    for (const SceneLine &line : lines) {
        const Point middle{0.5 * (line.a.x + line.b.x), 0.5 * (line.a.y + line.b.y)};
        const bool known = std::ranges::any_of(out, [&](const SceneLine &other) {
            const double dx = other.b.x - other.a.x, dy = other.b.y - other.a.y;
            return std::abs((middle.x - other.a.x) * dy - (middle.y - other.a.y) * dx) < nearest * lengthOf(other);
        });
        if (!known)
            out.push_back(line);
    }
    return out;
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
    Solver(const GeometrySettings &settings, int width, int height, const Optics &optics)
        : settings_(settings), width_(width), height_(height), optics_(optics)
    {
        settings_.strength = 100.0;
    }
    PictureMap mapOf(const Parameters &p) const { return {with(settings_, p), width_, height_, optics_}; }

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

    struct Settled {
        Parameters at;
        std::vector<SceneLine> agreed; ///< the lines that do, longest first
        size_t asked = 0;              ///< how many there were, apart from each other
    };
    /// The same by lines of which many contradict: weights fall with that, from a coarse scale on.
    Settled settled(Parameters at, std::span<const SceneLine> lines, Straightening what, double coarse) const
    {
        constexpr int kRounds = 16;
        constexpr double kApart = 0.01; // of the longer side
        Settled out{at, {}, 0};
        const double nearest = kApart * std::max(width_, height_);
        std::vector<SceneLine> seen;
        std::vector<Weighted> weighted;
        for (int round = 0; round < kRounds; ++round) {
            const double scale = coarse * std::pow(kFine / coarse, double(round) / (kRounds - 1));
            const PictureMap map = mapOf(out.at);
            weighted.clear();
            out.agreed.clear();
            seen.clear();
            for (const SceneLine &line : lines) {
                const double length = lengthOf(line), sine = slantOf(map, line).sine;
                if (std::abs(sine) > std::sin(kLean))
                    continue;
                const double part = trust(sine, scale);
                weighted.push_back({line, length * length * part}); // its direction is known by its length
                seen.push_back(line);
                if (part > 0.25) // within the scale
                    out.agreed.push_back(line);
            }
            if (weighted.empty())
                break;
            out.at = solve(out.at, weighted, determined(out.at, weighted, what));
        }
        out.agreed = apart(out.agreed, nearest);
        out.asked = std::max(apart(seen, nearest).size(), out.agreed.size());
        return out;
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
    Optics optics_;
};

/// Where upright lines run together: the direction of above and below, seen from the camera.
class Zenith {
public:
    /// Candidates among the lines, under settings that turn and tilt nothing.
    Zenith(const PictureMap &flat, std::span<const SceneLine> lines, double focal) : focal_(focal)
    {
        for (const SceneLine &line : lines) {
            const Point a = flat.toPicture(line.a), b = flat.toPicture(line.b);
            const double dx = b.x - a.x, dy = b.y - a.y, length = std::hypot(dx, dy);
            if (!(length > 0.0) || std::abs(dx) > std::tan(kLean) * std::abs(dy))
                continue;
            const double x = (a.x + b.x - flat.width()) / (2.0 * focal),
                         y = (a.y + b.y - flat.height()) / (2.0 * focal);
            uprights_.push_back({line, x, y, dx / length, dy / length, length});
        }
    }
    /// Angle and tilt under which the most of them, by length, stand upright. Every pair of the longest ones is asked.
    std::optional<Parameters> most() const
    {
        constexpr size_t kPairs = 80;
        constexpr double kMostAngle = 20.0, kMostTilt = 35.0;
        std::optional<Parameters> best;
        double most = 0.0;
        for (size_t i = 0; i < std::min(kPairs, uprights_.size()); ++i)
            for (size_t j = 0; j <= i; ++j) { // with itself: upright as seen
                const Eigen::Vector3d meet = i == j ? Eigen::Vector3d(uprights_[i].dx, uprights_[i].dy, 0.0)
                                                    : planeOf(uprights_[i]).cross(planeOf(uprights_[j]));
                const std::optional<Parameters> at = parametersOf(meet);
                if (!at || std::abs((*at)[0]) > kMostAngle || std::abs((*at)[1]) > kMostTilt)
                    continue;
                if (const double score = agreeing(meet.normalized()); score > most) {
                    most = score;
                    best = at;
                }
            }
        return best;
    }
    std::vector<SceneLine> lines() const
    {
        std::vector<SceneLine> out;
        for (const Upright &u : uprights_)
            out.push_back(u.line);
        return out;
    }

private:
    struct Upright {
        SceneLine line;
        double x, y;   ///< of its middle, in focal lengths
        double dx, dy; ///< its direction
        double length;
    };
    static Eigen::Vector3d planeOf(const Upright &u)
    {
        return Eigen::Vector3d(u.x, u.y, 1.0).cross(Eigen::Vector3d(u.dx, u.dy, 0.0)).normalized();
    }
    /// PictureMap turns what is below, (0, 1, 0), to (sin a, cos a cos t, -cos a sin t).
    static std::optional<Parameters> parametersOf(const Eigen::Vector3d &meet)
    {
        constexpr double kDegrees = 180.0 / std::numbers::pi;
        const double length = meet.norm();
        if (!(length > 1e-9))
            return std::nullopt;
        const Eigen::Vector3d down = meet * ((meet[1] < 0.0 ? -1.0 : 1.0) / length);
        return Parameters(std::asin(down[0]) * kDegrees, std::atan2(-down[2], down[1]) * kDegrees, 0.0);
    }
    double agreeing(const Eigen::Vector3d &meet) const
    {
        double sum = 0.0;
        for (const Upright &u : uprights_) {
            const double ex = meet[0] - meet[2] * u.x, ey = meet[1] - meet[2] * u.y, far = std::hypot(ex, ey);
            if (far > 0.0)
                sum += u.length * trust((u.dx * ey - u.dy * ex) / far, kFine);
        }
        return sum;
    }
    double focal_;
    std::vector<Upright> uprights_;
};

/// Whether lines that agree are level ones: a horizon is one long line; those of a wall seen from before stand above each
/// other all over the picture. Those of a floor lie near each other, and where they run nobody knows.
bool areLevel(std::span<const SceneLine> lines, size_t asked, int width, int height)
{
    constexpr double kLong = 0.5, kOne = 0.03, kAllOver = 0.15; // of the width; of the height
    double length = 0.0, sum = 0.0, square = 0.0;
    for (const SceneLine &line : lines) {
        const double own = lengthOf(line), y = 0.5 * (line.a.y + line.b.y);
        length += own;
        sum += own * y;
        square += own * y * y;
    }
    if (length < kLong * width)
        return false;
    const double spread = std::sqrt(std::max(0.0, square / length - sum * sum / (length * length))) / height;
    return spread < kOne || (spread > kAllOver && isMeant(lines.size(), asked, 1));
}

} // namespace

std::optional<GeometrySettings> straightened(const GeometrySettings &settings, std::span<const SceneLine> lines,
                                             Straightening what, int width, int height, const Optics &optics)
{
    const Solver solver(settings, width, height, optics);
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
                                                   Straightening what, int width, int height, const Optics &optics)
{
    const Solver solver(settings, width, height, optics);
    Parameters at = solver.start(what);
    // Upright lines tell how the camera was held, wherever they stand. Level ones run together where a wall is seen from
    // the side: they are asked where no uprights speak, as at sea, and for the swing.
    GeometrySettings flat = settings;
    flat.angle = flat.tilt = flat.swing = 0.0;
    const Zenith zenith(PictureMap(flat, width, height, optics), lines, optics.focal * std::max(width, height));
    const auto start = zenith.most();
    const auto settled = [&](std::span<const SceneLine> asked, Straightening free, Parameters from, double coarse) {
        return solver.settled(from, asked, free, coarse);
    };
    bool stands = false;
    if (start) {
        Parameters upright = at;
        upright[0] = (*start)[0];
        upright[1] = (*start)[1];
        const std::vector<SceneLine> uprights = zenith.lines();
        const auto found = settled(uprights, Straightening::Verticals, upright, kFine);
        stands = isMeant(found.agreed.size(), found.asked, 2);
        if (stands) {
            at[0] = found.at[0];
            if (what != Straightening::Angle)
                at[1] = found.at[1];
        }
    }
    if (!stands || what == Straightening::All) {
        constexpr double kCoarse = 4.0 * std::numbers::pi / 180.0;
        if (!stands)
            at[0] = 0.0;
        const auto found = settled(lines, stands ? what : Straightening::Angle, at, stands ? kFine : kCoarse);
        if (!stands && !areLevel(found.agreed, found.asked, width, height))
            return std::nullopt;
        at = found.at;
    }
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
