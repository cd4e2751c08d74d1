#include "mend/dust.h"

#include "base/errors.h"
#include "mend/dust_evidence_p.h"
#include "mend/speck_score_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <optional>

namespace yolk {
namespace {

constexpr double kLeastDepth = 0.02, kMostDepth = 1.0; // stops
/// Radii in pixels of a level; the next level goes on.
constexpr std::array<std::array<double, 2>, 2> kRadii{{{3.0, 3.6}, {4.4, 5.2}}};
constexpr double kSmallest = kRadii.front().front(), kLargest = kRadii.back().back();

/// Without the mean round each place, so that sums of squares are of differences.
void levelOut(Evidence &of)
{
    const int side = 2 * int(4.0 * kLargest) + 1;
    const cv::Mat value = of.weight.mul(of.residual);
    cv::Mat sum, weights, mean;
    cv::boxFilter(value, sum, CV_32F, {side, side}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::boxFilter(of.weight, weights, CV_32F, {side, side}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::divide(sum, weights, mean);
    of.residual -= mean;
    of.residual.setTo(0.0f, of.weight <= 0.0f);
}

/// A speck and a level, fitted round each pixel.
struct Fits {
    cv::Mat depth, deviation; ///< stops; 0 where there is none
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
    for (cv::Mat *m : {&out.depth, &out.deviation})
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
            out.deviation.at<float>(y, x) = float(std::sqrt(sum / spread) * std::max(1.0, rough));
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

/// What a search says of each place, in stops and deviations.
struct Search {
    cv::Mat depth, sureness;
};

/// By how much fits scatter beyond what their weights promise, round each place: noise that neighbours share, edges that
/// alignment left. By their 90th percentile in tiles, at least 1; a speck takes but a small part of one.
cv::Mat scatterOf(const cv::Mat &sureness, double radius)
{
    constexpr double kOfNormal = 1.645; // the 90th percentile of the absolute value of a normal distribution
    const int side = std::max(32, int(16.0 * radius)), across = (sureness.cols + side - 1) / side,
              down = (sureness.rows + side - 1) / side;
    cv::Mat tiles(down, across, CV_32F), out;
    std::vector<float> values;
    for (int v = 0; v < down; ++v)
        for (int u = 0; u < across; ++u) {
            values.clear();
            for (int y = v * side; y < std::min((v + 1) * side, sureness.rows); y += 2)
                for (int x = u * side; x < std::min((u + 1) * side, sureness.cols); x += 2)
                    if (const float s = sureness.at<float>(y, x); s != 0.0f)
                        values.push_back(std::abs(s));
            tiles.at<float>(v, u) = 1.0f;
            if (values.empty())
                continue;
            const auto at = values.begin() + ptrdiff_t(0.9 * double(values.size() - 1));
            std::ranges::nth_element(values, at);
            tiles.at<float>(v, u) = std::max(1.0f, *at / float(kOfNormal));
        }
    cv::resize(tiles, out, sureness.size(), 0.0, 0.0, cv::INTER_LINEAR);
    return out;
}

Search inLight(const Evidence &light, double radius)
{
    Fits fits = fitsOf(light, radius);
    cv::Mat sureness(fits.depth.size(), CV_32F, cv::Scalar(0));
    cv::divide(fits.depth, fits.deviation, sureness);
    sureness.setTo(0.0f, fits.deviation <= 0.0f);
    cv::divide(sureness, scatterOf(sureness, radius), sureness);
    return {std::move(fits.depth), std::move(sureness)};
}

/// All frames by their weights, each with the scatter round the place beside its own noise.
Search acrossFrames(const std::vector<Against> &frames, double radius, ExecContext &ctx)
{
    constexpr double kInner = 1.5, kOuter = 8.0, kMost = 20.0; // radii; deviations
    std::vector<Search> weighted(frames.size());               // depth by weight, weight
    forEachPart(ctx, int(frames.size()), [&](int i, ExecContext &) {
        const Fits fits = fitsOf(frames[size_t(i)].evidence, radius);
        cv::Mat known, squares, variance;
        cv::threshold(fits.deviation, known, 0.0, 1.0, cv::THRESH_BINARY);
        cv::divide(fits.depth, fits.deviation, squares);
        squares.setTo(0.0f, fits.deviation <= 0.0f);
        squares = cv::min(squares.mul(squares), kMost * kMost);
        const auto ring = [&](const cv::Mat &plane) {
            cv::Mat outer, inner;
            const int large = 2 * int(kOuter * radius) + 1, small = 2 * int(kInner * radius) + 1;
            cv::boxFilter(plane, outer, CV_32F, {large, large}, {-1, -1}, false, cv::BORDER_CONSTANT);
            cv::boxFilter(plane, inner, CV_32F, {small, small}, {-1, -1}, false, cv::BORDER_CONSTANT);
            return cv::Mat(outer - inner);
        };
        constexpr double kLeastPixels = 10.0;
        const cv::Mat count = ring(known);
        cv::Mat scatter;
        cv::divide(ring(squares), count, scatter);
        scatter.setTo(1.0f, count < kLeastPixels);
        variance = fits.deviation.mul(fits.deviation).mul(cv::max(scatter, 1.0));
        Search &out = weighted[size_t(i)];
        cv::divide(1.0, variance, out.sureness);
        out.sureness.setTo(0.0f, fits.deviation <= 0.0f);
        out.depth = fits.depth.mul(out.sureness);
    });
    Search out = weighted.front();
    for (size_t i = 1; i < weighted.size(); ++i) {
        out.depth += weighted[i].depth;
        out.sureness += weighted[i].sureness;
    }
    for (int y = 0; y < out.depth.rows; ++y)
        for (int x = 0; x < out.depth.cols; ++x) {
            float &depth = out.depth.at<float>(y, x), &weight = out.sureness.at<float>(y, x);
            const float sum = depth;
            depth = weight > 0.0f ? sum / weight : 0.0f;
            weight = weight > 0.0f ? sum / std::sqrt(weight) : 0.0f;
        }
    return out;
}

struct Peak {
    cv::Point2d at;
    double radius, depth, sureness;
};

/// Local maxima.
void peaksOf(const Search &search, double radius, double least, std::vector<Peak> &out)
{
    constexpr int kBeside = 2; // pixels
    for (int y = kBeside; y + kBeside < search.depth.rows; ++y)
        for (int x = kBeside; x + kBeside < search.depth.cols; ++x) {
            const float s = search.sureness.at<float>(y, x), depth = search.depth.at<float>(y, x);
            if (s < float(least) || depth < float(kLeastDepth) || depth > float(kMostDepth))
                continue;
            bool isPeak = true;
            for (int v = -kBeside; v <= kBeside && isPeak; ++v)
                for (int u = -kBeside; u <= kBeside; ++u)
                    isPeak = isPeak && s >= search.sureness.at<float>(y + v, x + u);
            if (isPeak)
                out.push_back({{x + 0.5, y + 0.5}, radius, double(depth), double(s)});
        }
}

/// The surest, none within another.
std::vector<Peak> apart(std::vector<Peak> peaks, size_t most)
{
    std::ranges::sort(peaks, std::greater(), &Peak::sureness);
    std::vector<Peak> out;
    for (const Peak &p : peaks) {
        if (out.size() == most)
            break;
        if (std::ranges::none_of(out, [&](const Peak &k) {
                return std::hypot(k.at.x - p.at.x, k.at.y - p.at.y) < std::max(k.radius, p.radius);
            }))
            out.push_back(p);
    }
    return out;
}

/// Where the scene moved between frames; `unseen` loses what any of them can be held against.
std::vector<FoundDust> whereTheSceneMoved(std::span<const DustFrame> frames, const std::vector<LogLight> &lights,
                                          const std::vector<SensorMap> &maps, int level, cv::Mat &unseen,
                                          ExecContext &ctx)
{
    constexpr double kBeside = 0.9, kLook = 3.5, kLeastSureness = 3.0,
                     kLeastScore = 1.0; // radii; deviations; log odds
    constexpr size_t kMost = 300;
    const double factor = 1 << level;
    ExecContext quiet = ctx.child({});
    std::vector<FoundDust> out;
    for (const auto &radii : kRadii) {
        ctx.throwIfStopped();
        const std::vector<Against> against = againstOthers(frames, lights, maps, level, kBeside * radii.back(), quiet);
        if (&radii == &kRadii.back())
            for (const Against &one : against)
                unseen.setTo(0, one.evidence.covered);
        std::vector<Peak> peaks;
        for (const double radius : radii)
            peaksOf(acrossFrames(against, radius, quiet), radius, kLook, peaks);
        const std::vector<Peak> places = apart(std::move(peaks), kMost);
        std::vector<std::optional<FoundDust>> judged(places.size());
        forEachPart(quiet, int(places.size()), [&](int i, ExecContext &own) {
            own.throwIfStopped();
            const Peak &place = places[size_t(i)];
            const SpeckEvidence speck = speckNear(against, place.at, place.radius);
            if (speck.sureness < kLeastSureness || speck.depth < kLeastDepth || speck.depth > kMostDepth)
                return;
            if (const double score = scoreOf(speck, place.sureness); score >= kLeastScore)
                judged[size_t(i)] = FoundDust{{.x = speck.at.x * factor,
                                               .y = speck.at.y * factor,
                                               .radius = speck.radius * factor,
                                               .depth = 1.0 - std::exp2(-speck.depth)},
                                              score};
        });
        for (const auto &one : judged)
            if (one)
                out.push_back(*one);
        ctx.report(&radii == &kRadii.back() ? 1.0 : 0.5);
    }
    return out;
}

/// Where nothing moved: on smooth light.
std::vector<FoundDust> onSmoothLight(std::vector<LogLight> lights, const std::vector<SensorMap> &maps, int level,
                                     const cv::Mat &unseen, ExecContext &ctx)
{
    constexpr double kSure = 8.0, kRim = 1.15, kWide = 3.0; // deviations; radii
    constexpr size_t kMost = 300;
    if (cv::countNonZero(unseen) == 0)
        return {};
    std::vector<Evidence> still;
    for (size_t i = 0; i < lights.size(); ++i) {
        toSensor(lights[i].stops, lights[i].weight, maps[i]);
        levelOut(still.emplace_back(Evidence{std::move(lights[i].stops), std::move(lights[i].weight)}));
    }
    const Evidence light = together(still);
    std::vector<Peak> peaks;
    for (const auto &radii : kRadii)
        for (const double radius : radii) {
            ctx.throwIfStopped();
            Search search = inLight(light, radius);
            search.sureness.setTo(0.0f, unseen == 0);
            peaksOf(search, radius, kSure, peaks);
        }
    const double factor = 1 << level;
    std::vector<FoundDust> out;
    for (const Peak &p : apart(std::move(peaks), kMost)) {
        if (!isRound(light, p.at, p.radius, p.depth) || !isAlone(light, p.at, p.radius, p.depth, kRim, kSpeckWindow) ||
            !isAlone(light, p.at, p.radius, p.depth, kSpeckWindow, kWide) ||
            !isOnSmoothLight(light, p.at, p.radius, p.depth))
            continue;
        double radius = p.radius, depth = p.depth;
        cv::Point2d at = p.at;
        refine(light, at, radius, depth);
        out.push_back(
            {{.x = at.x * factor, .y = at.y * factor, .radius = radius * factor, .depth = 1.0 - std::exp2(-depth)},
             p.sureness - kSure});
    }
    return out;
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
    while (last + 1 < int(levels.size()) && kSmallest * (1 << (last + 1)) <= largest)
        ++last;
    std::vector<FoundDust> found;
    for (int level = first; level <= last; ++level) {
        ExecContext own = ctx.part(level == first ? 0.0 : 1.0 - std::pow(0.25, level - first),
                                   1.0 - std::pow(0.25, level - first + 1));
        std::vector<LogLight> lights;
        std::vector<SensorMap> maps;
        for (const DustFrame &f : frames) {
            own.throwIfStopped();
            lights.push_back(logLightOf(f, level));
            maps.push_back(sensorMapOf(f, lights.back().stops.size(), level, own));
        }
        cv::Mat unseen(lights.front().stops.size(), CV_8U, cv::Scalar(255));
        ExecContext moved = own.part(0.1, 0.8), still = own.part(0.8, 1.0);
        if (frames.size() > 1)
            std::ranges::copy(whereTheSceneMoved(frames, lights, maps, level, unseen, moved),
                              std::back_inserter(found));
        std::ranges::copy(onSmoothLight(std::move(lights), maps, level, unseen, still), std::back_inserter(found));
        own.report(1.0);
    }
    std::ranges::sort(found, std::greater(), &FoundDust::score);
    std::vector<FoundDust> out;
    for (const FoundDust &f : found)
        if (std::ranges::none_of(out, [&](const FoundDust &known) {
                return std::hypot(known.spot.x - f.spot.x, known.spot.y - f.spot.y) <
                       std::max(known.spot.radius, f.spot.radius);
            }))
            out.push_back(f);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
