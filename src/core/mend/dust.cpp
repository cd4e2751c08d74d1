#include "mend/dust.h"

#include "base/errors.h"
#include "base/robust.h"
#include "mend/speck_fit_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

constexpr double kSure = 8.0, kLeastDepth = 0.022, kMostDepth = 1.0; // deviations; stops
constexpr std::array kRadii{3.0, 3.6, 4.4, 5.2};                     // pixels of a level; the next level goes on
constexpr double kLeastSnr = 4.0;                                    // of a pixel that says something
constexpr double kSlip = 0.15;      // pixels: what alignment leaves where near and far move
constexpr double kMostStops = 0.75; // of a residual: more is another thing

/// Log light of one frame at a level, with the inverse of its variance; 0 where it says nothing.
struct LogLight {
    cv::Mat stops, weight;
};

LogLight logLightOf(const Guide &guide, int level)
{
    const GuideLevel &from = guide.levels[size_t(level)];
    LogLight out{cv::Mat(from.light.height(), from.light.width(), CV_32F, cv::Scalar(0)),
                 cv::Mat(from.light.height(), from.light.width(), CV_32F, cv::Scalar(0))};
    for (int y = 0; y < from.light.height(); ++y) {
        const float *light = from.light.row(0, y);
        for (int x = 0; x < from.light.width(); ++x) {
            if (!from.valid.row(0, y)[x] || !(light[x] > 0.0f))
                continue;
            const double l = double(light[x]), variance = guide.variance(l, level);
            if (l * l < kLeastSnr * kLeastSnr * variance)
                continue;
            out.stops.at<float>(y, x) = float(std::log2(l));
            const double perStop = l * std::numbers::ln2;
            out.weight.at<float>(y, x) = float(perStop * perStop / variance);
        }
    }
    return out;
}

/// From pixels of one frame to those of another, at a level.
Transform between(const DustFrame &from, const DustFrame &to, int level)
{
    return to.toFrame.after(from.toFrame.inverted()).scaled(1.0 / (1 << level));
}

/// The least that a transform moves the middle and the corners of the picture.
double leastMotion(const Transform &t, double width, double height)
{
    double out = 1e9;
    for (const Point &p :
         {Point{0, 0}, Point{width, 0}, Point{0, height}, Point{width, height}, Point{width / 2, height / 2}}) {
        const Point q = t(p);
        out = std::min(out, std::hypot(q.x - p.x, q.y - p.y));
    }
    return out;
}

/// Where a frame's sensor pixels lie on the reference, at a level; empty: where they are.
struct SensorMap {
    cv::Mat x, y;
};

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

/// What stands on the pixels of the reference, on those of the sensor: values by their weights.
void toSensor(cv::Mat &values, cv::Mat &weights, const SensorMap &map)
{
    if (map.x.empty())
        return;
    cv::Mat weighted = values.mul(weights), known = weights > 0.0f, knownThere;
    cv::remap(weighted, weighted, map.x, map.y, cv::INTER_LINEAR, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::remap(weights, weights, map.x, map.y, cv::INTER_LINEAR, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::remap(known, knownThere, map.x, map.y, cv::INTER_LINEAR, cv::BORDER_CONSTANT, cv::Scalar(0));
    weights.setTo(0.0f, knownThere < 255);
    values = cv::Mat(values.size(), CV_32F, cv::Scalar(0));
    cv::divide(weighted, weights, values);
    values.setTo(0.0f, weights <= 0.0f);
}

/// Without the mean round each place, so that sums of squares are of differences.
void levelOut(Evidence &of)
{
    const int side = 2 * int(4.0 * kRadii.back()) + 1;
    const cv::Mat value = of.weight.mul(of.residual);
    cv::Mat sum, weights, mean;
    cv::boxFilter(value, sum, CV_32F, {side, side}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::boxFilter(of.weight, weights, CV_32F, {side, side}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::divide(sum, weights, mean);
    of.residual -= mean;
    of.residual.setTo(0.0f, of.weight <= 0.0f);
}

/// Variance that a slip of alignment makes where light changes from pixel to pixel.
float slipVariance(const cv::Mat &stops, const cv::Mat &weight, int x, int y, float slip)
{
    const int left = std::max(0, x - 1), right = std::min(stops.cols - 1, x + 1), above = std::max(0, y - 1),
              below = std::min(stops.rows - 1, y + 1);
    if (!(weight.at<float>(y, left) > 0.0f && weight.at<float>(y, right) > 0.0f && weight.at<float>(above, x) > 0.0f &&
          weight.at<float>(below, x) > 0.0f))
        return 1.0f; // beside what clips
    const float across = 0.5f * (stops.at<float>(y, right) - stops.at<float>(y, left)),
                down = 0.5f * (stops.at<float>(below, x) - stops.at<float>(above, x));
    return slip * slip * (across * across + down * down);
}

/// Of each frame against those that saw the same places from elsewhere; a level's size is that of the first frame.
std::vector<Evidence> againstOthers(std::span<const DustFrame> frames, const std::vector<LogLight> &lights,
                                    const std::vector<SensorMap> &maps, int level, ExecContext &ctx)
{
    const cv::Size size = lights.front().stops.size();
    const double leastMotionFor = 2.0 * kRadii.back();
    const float slip = float(kSlip / (1 << level));
    std::vector<Evidence> out;
    for (size_t f = 0; f < frames.size(); ++f) {
        cv::Mat sum(size, CV_32F, cv::Scalar(0)), weights = sum.clone();
        for (size_t g = 0; g < frames.size(); ++g) {
            ctx.throwIfStopped();
            const Transform t = between(frames[f], frames[g], level);
            if (g == f || leastMotion(t, size.width, size.height) < leastMotionFor)
                continue;
            sum += lights[g].stops.mul(lights[g].weight);
            weights += lights[g].weight;
        }
        Evidence own{cv::Mat(size, CV_32F, cv::Scalar(0)), cv::Mat(size, CV_32F, cv::Scalar(0)), weights > 0.0f};
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x) {
                const float theirs = weights.at<float>(y, x), ours = lights[f].weight.at<float>(y, x);
                if (!(theirs > 0.0f) || !(ours > 0.0f))
                    continue;
                const float r = lights[f].stops.at<float>(y, x) - sum.at<float>(y, x) / theirs;
                if (std::abs(r) > float(kMostStops))
                    continue;
                own.residual.at<float>(y, x) = r;
                own.weight.at<float>(y, x) =
                    1.0f / (1.0f / ours + 1.0f / theirs + slipVariance(lights[f].stops, lights[f].weight, x, y, slip));
            }
        toSensor(own.residual, own.weight, maps[f]);
        out.push_back(std::move(own));
    }
    return out;
}

/// Sums over a window round each pixel that a fit of shape and level needs.
struct Fits {
    cv::Mat depth, sureness; ///< stops, deviations
};

/// Along one axis: the shape of a speck, near to a normal distribution of half its radius, and its square.
cv::Mat bellOf(double radius, double power)
{
    const int reach = int(std::ceil(1.1 * radius));
    cv::Mat out(1, 2 * reach + 1, CV_32F);
    for (int x = -reach; x <= reach; ++x)
        out.at<float>(0, x + reach) = float(std::exp(-2.0 * power * x * x / (radius * radius)));
    return out;
}

Fits fitsOf(const Evidence &of, double radius)
{
    const int reach = int(std::ceil(kSpeckWindow * radius));
    const cv::Mat bell = bellOf(radius, 1.0), square = bellOf(radius, 2.0);
    const auto round = [&](const cv::Mat &values) {
        cv::Mat out;
        cv::boxFilter(values, out, CV_32F, {2 * reach + 1, 2 * reach + 1}, {-1, -1}, false, cv::BORDER_CONSTANT);
        return out;
    };
    const auto under = [](const cv::Mat &values, const cv::Mat &kernel) {
        cv::Mat out;
        cv::sepFilter2D(values, out, CV_32F, kernel, kernel, {-1, -1}, 0.0, cv::BORDER_CONSTANT);
        return out;
    };
    const cv::Mat value = of.weight.mul(of.residual), squared = value.mul(of.residual);
    cv::Mat known(of.weight.size(), CV_32F, cv::Scalar(0));
    known.setTo(1.0f, of.weight > 0.0f);
    const cv::Mat w = round(of.weight), wk = under(of.weight, bell), wkk = under(of.weight, square), wv = round(value),
                  wkv = under(value, bell), wvv = round(squared), n = round(known), inside = under(known, bell);
    const double whole = std::pow(2.0 * reach + 1.0, 2.0), wholeInside = std::pow(cv::sum(bell)[0], 2.0);
    Fits out;
    for (cv::Mat *m : {&out.depth, &out.sureness})
        *m = cv::Mat(w.size(), CV_32F, cv::Scalar(0));
    for (int y = 0; y < w.rows; ++y)
        for (int x = 0; x < w.cols; ++x) {
            const double count = double(n.at<float>(y, x)), sum = double(w.at<float>(y, x));
            if (count < 0.7 * whole || double(inside.at<float>(y, x)) < 0.7 * wholeInside)
                continue;
            const double k = double(wk.at<float>(y, x)), kk = double(wkk.at<float>(y, x)),
                         v = double(wv.at<float>(y, x)), kv = double(wkv.at<float>(y, x)),
                         vv = double(wvv.at<float>(y, x));
            const double spread = sum * kk - k * k;
            if (!(spread > 1e-6 * sum * kk))
                continue;
            const double depth = -(sum * kv - k * v) / spread, level = (v + depth * k) / sum;
            const double left = std::max(0.0, vv - level * v + depth * kv); // weighted squares that the fit leaves
            const double rough = std::sqrt(left / std::max(1.0, count - 2.0));
            out.depth.at<float>(y, x) = float(depth);
            out.sureness.at<float>(y, x) = float(depth / (std::sqrt(sum / spread) * std::max(1.0, rough)));
        }
    return out;
}

/// What all say: means by their weights.
Evidence together(const std::vector<Evidence> &all)
{
    Evidence out{cv::Mat(all.front().residual.size(), CV_32F, cv::Scalar(0)),
                 cv::Mat(all.front().residual.size(), CV_32F, cv::Scalar(0))};
    for (const Evidence &one : all) {
        out.residual += one.residual.mul(one.weight);
        out.weight += one.weight;
    }
    for (int y = 0; y < out.weight.rows; ++y)
        for (int x = 0; x < out.weight.cols; ++x)
            if (const float w = out.weight.at<float>(y, x); w > 0.0f)
                out.residual.at<float>(y, x) /= w;
    return out;
}

struct Peak {
    cv::Point2d at;
    double radius, depth, sureness;
    int level;
    bool moved; ///< the scene did
};

/// By how much fits scatter beyond what their weights promise, round each place: noise that neighbours share, edges that
/// alignment left. By their 90th percentile in tiles, at least 1; a speck takes but a small part of one.
cv::Mat scatterOf(const Fits &fits, double radius)
{
    constexpr double kOfNormal = 1.645; // the 90th percentile of the absolute value of a normal distribution
    const int side = std::max(32, int(16.0 * radius)), across = (fits.sureness.cols + side - 1) / side,
              down = (fits.sureness.rows + side - 1) / side;
    cv::Mat tiles(down, across, CV_32F), out;
    std::vector<float> values;
    for (int v = 0; v < down; ++v)
        for (int u = 0; u < across; ++u) {
            values.clear();
            for (int y = v * side; y < std::min((v + 1) * side, fits.sureness.rows); y += 2)
                for (int x = u * side; x < std::min((u + 1) * side, fits.sureness.cols); x += 2)
                    if (const float s = fits.sureness.at<float>(y, x); s != 0.0f)
                        values.push_back(std::abs(s));
            tiles.at<float>(v, u) = 1.0f;
            if (values.empty())
                continue;
            const auto at = values.begin() + ptrdiff_t(0.9 * double(values.size() - 1));
            std::ranges::nth_element(values, at);
            tiles.at<float>(v, u) = std::max(1.0f, *at / float(kOfNormal));
        }
    cv::resize(tiles, out, fits.sureness.size(), 0.0, 0.0, cv::INTER_LINEAR);
    return out;
}

/// Local maxima of sureness.
void peaksOf(const Fits &fits, double radius, int level, bool moved, std::vector<Peak> &out)
{
    const cv::Mat scatter = scatterOf(fits, radius);
    for (int y = 1; y + 1 < fits.sureness.rows; ++y)
        for (int x = 1; x + 1 < fits.sureness.cols; ++x) {
            const float s = fits.sureness.at<float>(y, x), scale = scatter.at<float>(y, x);
            if (s < float(kSure) * scale || fits.depth.at<float>(y, x) < float(kLeastDepth) ||
                fits.depth.at<float>(y, x) > float(kMostDepth))
                continue;
            bool isPeak = true;
            for (int v = -1; v <= 1 && isPeak; ++v)
                for (int u = -1; u <= 1; ++u)
                    isPeak = isPeak && s >= fits.sureness.at<float>(y + v, x + u);
            if (isPeak)
                out.push_back(
                    {{x + 0.5, y + 0.5}, radius, double(fits.depth.at<float>(y, x)), double(s / scale), level, moved});
        }
}

} // namespace

std::vector<FoundDust> findDust(std::span<const DustFrame> frames, ExecContext &ctx)
{
    if (frames.empty())
        throw ArgumentError("dust: no frame");
    for (const DustFrame &f : frames)
        if (f.guide.width != frames.front().guide.width || f.guide.height != frames.front().guide.height)
            throw ArgumentError("dust: frames of more than one size");
    const auto &levels = frames.front().guide.levels;
    const auto finest = std::ranges::find_if(levels, [](const GuideLevel &l) { return !l.light.shape().empty(); });
    const int first = int(finest - levels.begin());
    const double largest = 0.01 * std::hypot(frames.front().guide.width, frames.front().guide.height);
    int last = first;
    while (last + 1 < int(levels.size()) && kRadii.front() * (1 << (last + 1)) <= largest)
        ++last;
    std::vector<FoundDust> out;
    const auto isKnown = [&](const Point &at, double radius) {
        return std::ranges::any_of(out, [&](const FoundDust &known) {
            return std::hypot(known.spot.x - at.x, known.spot.y - at.y) < std::max(known.spot.radius, radius);
        });
    };
    std::vector<FoundDust> found;
    for (int level = first; level <= last; ++level) {
        ExecContext own = ctx.part(level == first ? 0.0 : 1.0 - std::pow(0.25, level - first),
                                   1.0 - std::pow(0.25, level - first + 1));
        std::vector<LogLight> lights;
        std::vector<SensorMap> maps;
        for (const DustFrame &f : frames) {
            own.throwIfStopped();
            lights.push_back(logLightOf(f.guide, level));
            maps.push_back(sensorMapOf(f, lights.back().stops.size(), level, own));
        }
        const std::vector<Evidence> moved = againstOthers(frames, lights, maps, level, own);
        own.report(0.4);
        std::vector<Evidence> still;
        for (size_t i = 0; i < frames.size(); ++i) {
            toSensor(lights[i].stops, lights[i].weight, maps[i]);
            Evidence &one = still.emplace_back(Evidence{std::move(lights[i].stops), std::move(lights[i].weight)});
            levelOut(one);
        }
        const Evidence scene = together(moved);
        const Evidence light = together(still);
        // Light itself speaks only where no second frame saw the place from elsewhere.
        cv::Mat unseen(scene.weight.size(), CV_8U, cv::Scalar(255));
        for (const Evidence &one : moved)
            unseen.setTo(0, one.covered);
        std::vector<Peak> peaks;
        for (size_t i = 0; i < kRadii.size(); ++i) {
            own.throwIfStopped();
            const Fits overScene = fitsOf(scene, kRadii[i]);
            peaksOf(overScene, kRadii[i], level, true, peaks);
            if (cv::countNonZero(unseen) > 0) {
                Fits overLight = fitsOf(light, kRadii[i]);
                overLight.sureness.setTo(0.0f, unseen == 0);
                peaksOf(overLight, kRadii[i], level, false, peaks);
            }
            own.report(0.4 + 0.6 * double(i + 1) / double(kRadii.size()));
        }
        std::ranges::sort(peaks, std::greater(), &Peak::sureness);
        const double factor = 1 << level;
        std::vector<Peak> kept;
        for (const Peak &p : peaks) {
            const bool isBeside = std::ranges::none_of(kept, [&](const Peak &k) {
                return std::hypot(k.at.x - p.at.x, k.at.y - p.at.y) < std::max(k.radius, p.radius);
            });
            if (!isBeside)
                continue;
            kept.push_back(p); // also what is none: its flank is not asked again
            const bool isDust = p.moved ? isRound(scene, p.at, p.radius, p.depth) &&
                                              isAlone(scene, p.at, p.radius, p.depth, 1.15, kSpeckWindow) &&
                                              isShared(moved, p.at, p.radius, p.depth)
                                        : isRound(light, p.at, p.radius, p.depth) &&
                                              isAlone(light, p.at, p.radius, p.depth, 1.15, kSpeckWindow) &&
                                              isAlone(light, p.at, p.radius, p.depth, kSpeckWindow, 3.0) &&
                                              isOnSmoothLight(light, p.at, p.radius, p.depth);
            if (!isDust)
                continue;
            double radius = p.radius, depth = p.depth;
            cv::Point2d at = p.at;
            refine(p.moved ? scene : light, at, radius, depth);
            found.push_back(
                {{at.x * factor, at.y * factor, radius * factor, true}, 1.0 - std::exp2(-depth), p.sureness});
        }
    }
    std::ranges::sort(found, std::greater(), &FoundDust::sureness);
    for (const FoundDust &f : found)
        if (!isKnown({f.spot.x, f.spot.y}, f.spot.radius))
            out.push_back(f);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
