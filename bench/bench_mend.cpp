// Mending: dark things on worlds that nobody has seen against the truth under them, and how long a spot and a stroke take.
#include "benchmarks.h"
#include "mend/mend.h"
#include "scenes.h"
#include "worlds/leaves.h"
#include "worlds/world.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace yolk::bench {
namespace {

constexpr int kWidth = 900, kHeight = 600, kSpots = 12;
constexpr double kThing = 6.0, kRadius = 8.0; // pixels

/// Deviation of log2 of green in a ring round a place.
double roughnessRound(const Image<float> &of, const Point &at)
{
    double sum = 0.0, squares = 0.0, count = 0.0;
    for (int y = int(at.y) - 14; y <= int(at.y) + 14; ++y)
        for (int x = int(at.x) - 14; x <= int(at.x) + 14; ++x) {
            const double stop = std::log2(double(of.row(1, y)[x]));
            sum += stop;
            squares += stop * stop;
            ++count;
        }
    return std::sqrt(std::max(0.0, squares / count - sum / count * sum / count));
}

/// Root mean square of log2 of light over the truth, under the thing.
double stopsOff(const Image<float> &got, const Image<float> &truth, const Point &at)
{
    double sum = 0.0, count = 0.0;
    for (int c = 0; c < 3; ++c)
        for (int y = int(at.y - kThing); y <= int(at.y + kThing); ++y)
            for (int x = int(at.x - kThing); x <= int(at.x + kThing); ++x)
                if (std::hypot(x + 0.5 - at.x, y + 0.5 - at.y) < kThing) {
                    sum +=
                        std::pow(std::log2(std::max(1e-6, double(got.row(c, y)[x])) / double(truth.row(c, y)[x])), 2.0);
                    ++count;
                }
    return std::sqrt(sum / count);
}

/// How steep log light is across the ring in which a spot is blended in, over how steep it is across those beside it, in
/// stops: what a seam would raise.
double seamOf(const Image<float> &of, const Point &at, double feather)
{
    constexpr double kBeside = 3.0, kNothing = 1e-4; // pixels; stops a pixel
    const double soft = std::max(1.0, feather * kRadius), from = kRadius - soft - 0.5, to = kRadius + 0.5;
    double seam = 0.0, seamCount = 0.0, beside = 0.0, besideCount = 0.0;
    const int reach = int(to + kBeside) + 1;
    for (int y = int(at.y) - reach; y <= int(at.y) + reach; ++y)
        for (int x = int(at.x) - reach; x <= int(at.x) + reach; ++x) {
            const double u = x + 0.5 - at.x, v = y + 0.5 - at.y, d = std::hypot(u, v);
            if (d < from - kBeside || d > to + kBeside || d <= 0.0)
                continue;
            const auto stop = [&](int i, int j) { return std::log2(std::max(1e-6, double(of.row(1, j)[i]))); };
            const double across =
                0.5 * ((stop(x + 1, y) - stop(x - 1, y)) * u + (stop(x, y + 1) - stop(x, y - 1)) * v) / d;
            const bool isSeam = d >= from && d <= to;
            (isSeam ? seam : beside) += across * across;
            ++(isSeam ? seamCount : besideCount);
        }
    return 0.5 * std::log2((seam / seamCount + kNothing * kNothing) / (beside / besideCount + kNothing * kNothing));
}

/// The same picture, its log light filled by OpenCV where the mask says so [Telea2004].
Image<float> inpainted(const Image<float> &shot, const cv::Mat &mask)
{
    constexpr double kNear = 3.0; // pixels that it looks at, as its documentation has it
    Image<float> out(shot.shape());
    for (int c = 0; c < 3; ++c) {
        cv::Mat stops(kHeight, kWidth, CV_32F), filled;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                stops.at<float>(y, x) = std::log2(std::max(1e-6f, shot.row(c, y)[x]));
        cv::inpaint(stops, mask, filled, kNear, cv::INPAINT_TELEA);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                out.row(c, y)[x] = std::exp2(filled.at<float>(y, x));
    }
    return out;
}

cv::Mat discAt(const Point &at)
{
    cv::Mat mask(kHeight, kWidth, CV_8U, cv::Scalar(0));
    cv::circle(mask, {int(at.x), int(at.y)}, int(kThing) + 1, 255, cv::FILLED);
    return mask;
}

/// What lies under a stroke against what was there: off by stops (RMS), and how much differs between neighbours across,
/// over how much did.
struct UnderStroke {
    double stopsOff, steps;
};
UnderStroke underStroke(const Image<float> &got, const Image<float> &truth, const cv::Mat &mask)
{
    const auto stop = [](const Image<float> &of, int c, int x, int y) {
        return std::log2(std::max(1e-6, double(of.row(c, y)[x])));
    };
    double off = 0.0, steps = 0.0, were = 0.0, count = 0.0;
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x + 1 < kWidth; ++x)
            for (int c = 0; c < 3 && mask.at<uint8_t>(y, x); ++c) {
                off += std::pow(stop(got, c, x, y) - stop(truth, c, x, y), 2.0);
                steps += std::abs(stop(got, c, x + 1, y) - stop(got, c, x, y));
                were += std::abs(stop(truth, c, x + 1, y) - stop(truth, c, x, y));
                ++count;
            }
    return {std::sqrt(off / count), steps / were};
}

/// A dark thread of 200 px over each world, woven, mended from one place, and by OpenCV.
void strokesOnWorlds(Report &report, uint64_t first, uint64_t count, ExecContext &ctx)
{
    constexpr int kStrokes = 4;
    constexpr double kThread = 5.0, kStroke = 7.0; // radii
    std::array<std::vector<double>, 3> off, steps;
    double wins = 0.0;
    for (uint64_t seed = first; seed < first + count; ++seed) {
        const worlds::World world = worlds::worldOf(seed, kWidth, kHeight);
        const Image<float> truth = worlds::renderLeaves(worlds::growLeaves(world.scene), world.scene, {}, 0.0, ctx);
        const Image<uint8_t> clipped(kWidth, kHeight, 1);
        std::mt19937_64 random(seed + 5000);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        for (int i = 0; i < kStrokes; ++i) {
            const double turn = 2.0 * std::numbers::pi * share(random), bend = 3.0 * (share(random) - 0.5);
            MendStroke stroke;
            stroke.radius = kStroke;
            Point at{250.0 + 400.0 * share(random), 200.0 + 200.0 * share(random)};
            cv::Mat thread(kHeight, kWidth, CV_8U, cv::Scalar(0)), wide = thread.clone();
            for (int k = 0; k <= 25; ++k) {
                stroke.points.push_back(at);
                cv::circle(thread, {int(at.x), int(at.y)}, int(kThread), 255, cv::FILLED);
                cv::circle(wide, {int(at.x), int(at.y)}, int(kStroke), 255, cv::FILLED);
                at.x += 8.0 * std::cos(turn + bend * k / 25.0);
                at.y += 8.0 * std::sin(turn + bend * k / 25.0);
            }
            Image<float> shot(truth.shape());
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < kHeight; ++y)
                    for (int x = 0; x < kWidth; ++x)
                        shot.row(c, y)[x] = truth.row(c, y)[x] * (thread.at<uint8_t>(y, x) ? 0.1f : 1.0f);
            const MendedLight picture(shot.view(), clipped.view());
            const auto mendedBy = [&](MendWay way) {
                MendStroke own = stroke;
                own.way = way;
                if (way == MendWay::Seamless)
                    if (const std::vector<Point> sources = mendSources(picture, own, 1); !sources.empty())
                        own.source = sources.front();
                MendedLight after = picture;
                after.add(std::make_shared<MendPatch>(mended(picture, own)));
                return underStroke(after.light({0, 0, kWidth, kHeight}), truth, thread);
            };
            const std::array results{mendedBy(MendWay::Woven), mendedBy(MendWay::Seamless),
                                     underStroke(inpainted(shot, wide), truth, thread)};
            for (size_t k = 0; k < results.size(); ++k) {
                off[k].push_back(results[k].stopsOff);
                steps[k].push_back(std::abs(std::log2(results[k].steps)));
            }
            wins += results[0].stopsOff < results[2].stopsOff;
        }
    }
    const std::array<std::string, 3> names{"woven", "one_place", "telea"};
    for (size_t k = 0; k < names.size(); ++k) {
        report.add("mend.stroke_stops_off." + names[k], percentile(off[k], 0.5),
                   "median, from the truth under a thread");
        report.add("mend.stroke_grain_off." + names[k], percentile(steps[k], 0.5),
                   "median, stops that differences of neighbours are off");
    }
    report.add("mend.stroke_nearer_share", wins / double(off[0].size()), "woven nearer to the truth than Telea");
}

void thingsOnWorlds(Report &report, uint64_t first, uint64_t count, ExecContext &ctx)
{
    std::vector<double> smooth, ours, theirs, seams, untouched;
    double wins = 0.0;
    for (uint64_t seed = first; seed < first + count; ++seed) {
        const worlds::World world = worlds::worldOf(seed, kWidth, kHeight);
        const Image<float> truth = worlds::renderLeaves(worlds::growLeaves(world.scene), world.scene, {}, 0.0, ctx);
        const Image<uint8_t> clipped(kWidth, kHeight, 1);
        std::mt19937_64 random(seed);
        std::uniform_real_distribution<double> across(60.0, kWidth - 60.0), down(60.0, kHeight - 60.0);
        for (int i = 0; i < kSpots; ++i) {
            const Point at{across(random), down(random)};
            Image<float> shot(truth.shape());
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < kHeight; ++y)
                    for (int x = 0; x < kWidth; ++x) {
                        const bool isThing = std::hypot(x + 0.5 - at.x, y + 0.5 - at.y) < kThing;
                        shot.row(c, y)[x] = truth.row(c, y)[x] * (isThing ? 0.1f : 1.0f);
                    }
            const MendedLight picture(shot.view(), clipped.view());
            MendStroke stroke{.points = {at}, .radius = kRadius};
            const std::vector<Point> sources = mendSources(picture, stroke, 1);
            if (sources.empty())
                continue;
            stroke.source = sources.front();
            MendedLight after = picture;
            after.add(std::make_shared<MendPatch>(mended(picture, stroke)));
            const Image<float> got = after.light({0, 0, kWidth, kHeight});
            const double off = stopsOff(got, truth, at), other = stopsOff(inpainted(shot, discAt(at)), truth, at);
            seams.push_back(seamOf(got, at, stroke.feather));
            untouched.push_back(seamOf(truth, at, stroke.feather));
            if (roughnessRound(truth, at) < 0.05)                                     // stops
                smooth.push_back(-20.0 * std::log10(off * std::numbers::ln2 + 1e-5)); // small: shares of light
            ours.push_back(off);
            theirs.push_back(other);
            wins += off < other;
        }
    }
    report.add("mend.smooth_db.p10", percentile(smooth, 0.1), "under a thing on smooth places, at least 40");
    report.add("mend.smooth_count", double(smooth.size()), "of them");
    constexpr double kChance = 0.05;
    const double limit = percentile(untouched, 1.0 - kChance);
    const auto found = double(std::ranges::count_if(seams, [&](double s) { return s > limit; }));
    report.add("mend.seams_found", found / double(seams.size()),
               "share of the spots whose ring is steeper than that of 95 % of untouched places, 0.05 by chance");
    report.add("mend.stops_off.median", percentile(ours, 0.5), "from the truth under the thing, everywhere");
    report.add("mend.stops_off_telea.median", percentile(theirs, 0.5), "the same by cv::inpaint");
    report.add("mend.nearer_share", wins / double(ours.size()), "of the places, nearer to the truth than that");
}

/// On 24 megapixels.
void times(Report &report)
{
    Image<float> light(6000, 4000, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < light.height(); ++y)
            for (int x = 0; x < light.width(); ++x)
                light.row(c, y)[x] = float(0.2 + 0.1 * std::sin(0.05 * x + 0.02 * y) + 1e-4 * ((x * 7 + y * 13) % 97));
    const Image<uint8_t> clipped(6000, 4000, 1);
    const MendedLight picture(light.view(), clipped.view());
    MendStroke spot{.points = {{3000.0, 2000.0}}, .radius = 25.0, .source = {80.0, 10.0}}, stroke = spot;
    for (int i = 1; i <= 40; ++i)
        stroke.points.push_back({3000.0 + 10.0 * i, 2000.0 + 20.0 * std::sin(0.2 * i)});
    stroke.source = {0.0, 120.0};
    MendStroke woven = stroke;
    woven.way = MendWay::Woven;
    report.add("mend.woven_stroke_ms", 1e3 * medianSeconds(3, [&] { mended(picture, woven); }),
               "400 pixels long, at most 1000");
    const auto add = [&](const char *name, const MendStroke &of, const char *unit) {
        report.add(std::string("mend.") + name + "_ms", 1e3 * medianSeconds(5, [&] { mended(picture, of); }), unit);
        report.add(std::string("mend.") + name + "_with_source_ms",
                   1e3 * medianSeconds(3,
                                       [&] {
                                           MendStroke found = of;
                                           found.source = mendSources(picture, of, 8).front();
                                           mended(picture, found);
                                       }),
                   unit);
    };
    add("spot", spot, "radius 25 on 24 megapixels, at most 50");
    add("stroke", stroke, "400 pixels long, at most 1000");
}

} // namespace

void benchMend(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(20);
    thingsOnWorlds(report, first, count, ctx);
    strokesOnWorlds(report, first, count, ctx);
    times(report);
}

} // namespace yolk::bench
