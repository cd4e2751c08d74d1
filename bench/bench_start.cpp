// The first picture: what the automatic start loses, keeps and how light it is, on scenes of which everything is held.
// YOLK_WORLDS=FIRST,COUNT takes other worlds than the unseen ones.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/world.h"

#include "colour/primaries.h"
#include "counted_noise.h"
#include "frames/white_balance.h"
#include "io/radiance_file.h"
#include "support/pu21.h"
#include "support/start_measures.h"
#include "support/tone_measures.h"
#include "tone/tone_start.h"

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <numbers>

namespace yolk::bench {
namespace {

struct Scene {
    std::string name;
    Image<float> light;
};

/// In Rec. 2020; nothing is darker than 14 stops under the 99.9 % quantile of light, about what a bracket holds. Many
/// radiance pictures are cut at 0, and no such thing is ever photographed.
Image<float> inRec2020(const Image<float> &light)
{
    Image<float> out = test::converted(light, rgbToRgb(kRec709, kRec2020));
    std::vector<double> greens;
    for (int y = 0; y < out.height(); ++y)
        greens.insert(greens.end(), out.row(1, y), out.row(1, y) + out.width());
    const float least = float(percentile(greens, 0.999)) * 0x1p-14f;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] = std::max(least, out.row(c, y)[x]);
    return out;
}

std::vector<Scene> scenes(const std::string &folder)
{
    std::vector<Scene> out;
    for (const std::string &path : radiancePictures(folder)) {
        out.push_back({std::filesystem::path(path).stem(), inRec2020(readExr(path).rgb)});
        const size_t whole = out.size() - 1;
        for (double share : {0.03, 0.08})
            out.push_back(
                {out[whole].name + textOf("-%g", share), test::cropRoundLight(out[whole].light.view(), share)});
    }
    const auto [first, count] = worldsAsked(100);
    ThreadRunner runner;
    ExecContext ctx(runner);
    for (uint64_t seed = first; seed < first + count; ++seed) {
        const worlds::World world = worlds::worldOf(seed, 600, 400);
        out.push_back({seed < 1000 ? "world-" + std::to_string(seed) : "",
                       inRec2020(worlds::renderLeaves(worlds::growLeaves(world.scene), world.scene, {}, 0.0, ctx))});
    }
    return out;
}

double within(const std::vector<double> &values, double least, double most)
{
    double count = 0.0;
    for (double v : values)
        count += v >= least && v <= most;
    return values.empty() ? 1.0 : count / double(values.size());
}

/// Figures of one method over many scenes.
struct Column {
    std::vector<double> lost, white, black, bright, dark, rest, straight, room, low, high, reversed;
    void add(const test::StartFigures &f)
    {
        lost.push_back(100.0 * f.lost);
        white.push_back(100.0 * f.white);
        black.push_back(100.0 * f.black);
        bright.push_back(f.bright);
        dark.push_back(f.dark);
        rest.push_back(f.rest);
        straight.push_back(f.all / f.straightest);
        room.push_back(f.room);
        reversed.push_back(100.0 * f.reversed);
        if (f.span >= 6.0) {
            low.push_back(f.low);
            high.push_back(f.high);
        }
    }
    void report(Report &report, const std::string &key, ToneMethod method) const
    {
        if (lost.empty())
            return;
        constexpr double kNoEnd = 1e9;
        report.add(key + "lost_percent_p95", percentile(lost, 0.95), "held and yet lost, at most 0.2");
        report.add(key + "white_percent_p95", percentile(white, 0.95), "a channel at 255, at most 0.2");
        report.add(key + "black_percent_p95", percentile(black, 0.95), "all channels at 0, at most 0.1");
        if (method == ToneMethod::Local) {
            report.add(key + "kept_bright", within(bright, 0.35, kNoEnd), "share with at least 0.35");
            report.add(key + "kept_dark", within(dark, 0.5, kNoEnd), "share with at least 0.5");
            report.add(key + "kept_rest", within(rest, 0.7, 1.3), "share with 0.7 to 1.3");
        } else {
            report.add(key + "kept_straight", within(straight, 0.9, kNoEnd),
                       "share that keeps 0.9 of what a straight line between the same ends does");
        }
        report.add(key + "room", within(room, 38.0, 52.0), "share with a room at L* 38 to 52");
        report.add(key + "low", within(low, 0.0, 8.0), "share with the 1st percentile at most L* 8");
        report.add(key + "high", within(high, 85.0, 100.0), "share with the 99th percentile at least L* 85");
        report.add(key + "reversed_percent_p95", percentile(reversed, 0.95), "gradients turned, at most 0.5");
    }
};

/// Beside edges of every height, in scenes that hold nothing else than some light and shade far away.
void halos(Report &report)
{
    ToneStart start = completed({-5.0, -1.0, 4.0, 5.0});
    for (double local : {0.0, 50.0}) {
        double overshoot = 0.0, ofStep = 0.0;
        for (double stops : {0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0})
            for (double middle : {-2.0, 0.0, 2.0})
                for (double range : {50.0, 100.0}) {
                    ToneSettings settings = automaticTone(start);
                    settings.range = range;
                    settings.localContrast = local;
                    settings.fineDetail = 0.0;
                    const test::Halo halo = test::haloOf(settings, start, stops, 0.0, middle);
                    overshoot = std::max(overshoot, halo.overshoot);
                    ofStep = std::max(ofStep, halo.overshoot / halo.step);
                    std::printf("  edge %.1f at %+.0f range %3.0f local %2.0f: %.2f of %.1f\n", stops, middle, range,
                                local, halo.overshoot, halo.step);
                }
        const std::string key = local > 0.0 ? "start.halo.with_local_contrast." : "start.halo.";
        report.add(key + "percent", overshoot, local > 0.0 ? "overshoot, at most 4" : "overshoot, at most 2");
        report.add(key + "of_step", ofStep, "overshoot over the step between the plateaus, at most 0.25");
    }
}

/// Rooms of dead leaves in one light with a window of another scene in another, 3 to 6 stops brighter, on 5 to 25 % of
/// the picture: how far the automatic white lies from the room's light.
void whites(Report &report)
{
    constexpr int kWidth = 600, kHeight = 400;
    ThreadRunner runner;
    ExecContext ctx(runner);
    const Matrix3 toRgb = inverse(rgbToXyz(kRec709));
    std::vector<double> degrees;
    const auto [first, count] = worldsAsked(100);
    for (uint64_t seed = first; seed < first + count; ++seed) {
        uint64_t n = 0;
        const auto between = [&](double low, double high) {
            return low + (high - low) * demo::uniform(seed * 31 + 7, n++);
        };
        // Lights spread evenly in reciprocal temperature, as the eye does.
        const auto light = [&] { return toRgb * xyzOf(chromaticityOf({1e6 / between(1e6 / 7500, 1e6 / 2500), 3.0})); };
        const Vector3 room = light(), window = light();
        const auto render = [&](uint64_t of, double stops) {
            worlds::World world = worlds::worldOf(of, kWidth, kHeight);
            world.scene.stops = stops;
            return worlds::renderLeaves(worlds::growLeaves(world.scene), world.scene, {}, 0.0, ctx);
        };
        Image<float> picture = render(seed, between(8.0, 14.0));
        const Image<float> view = render(seed ^ 0x5555, 8.0);
        const double share = between(0.05, 0.25), aspect = between(0.6, 1.6), gain = std::exp2(between(3.0, 6.0));
        const int w = int(std::sqrt(share * kWidth * kHeight * aspect)),
                  h = int(std::sqrt(share * kWidth * kHeight / aspect));
        const int left = int(between(0.0, kWidth - w)), top = int(between(0.0, kHeight - h));
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x) {
                    const bool outside = x >= left && x < left + w && y >= top && y < top + h;
                    float &v = picture.row(c, y)[x];
                    v = float(outside ? double(view.row(c, y)[x]) * gain * window[size_t(c)]
                                      : double(v) * room[size_t(c)]);
                }
        const Vector3 found = neutralOf(assumedSrgb(), automaticWhite(assumedSrgb(), picture.view()));
        double dot = 0.0, a = 0.0, b = 0.0;
        for (size_t c = 0; c < 3; ++c) {
            dot += found[c] * room[c];
            a += found[c] * found[c];
            b += room[c] * room[c];
        }
        degrees.push_back(std::acos(std::min(1.0, dot / std::sqrt(a * b))) * 180.0 / std::numbers::pi);
    }
    report.add("start.white_degrees_median", percentile(degrees, 0.5),
               "automatic white of rooms with windows, at most 4");
    report.add("start.white_degrees_p90", percentile(degrees, 0.9), "the same");
}

} // namespace

void benchStart(Report &report, const std::string &folder)
{
    halos(report);
    whites(report);
    const std::vector<Scene> all = scenes(folder);
    for (const auto &method : kToneMethods) {
        if (method.value == ToneMethod::Plain)
            continue;
        Column column, unseen;
        for (const Scene &scene : all) {
            const ToneStart start = toneStartOf(scene.light.view());
            ToneSettings settings = automaticTone(start);
            settings.method = method.value;
            const test::StartFigures f =
                test::startFigures(scene.light.view(), test::toned(scene.light.view(), settings, start).view());
            column.add(f);
            if (scene.name.empty())
                unseen.add(f);
            else
                std::printf(
                    "  %-6s %-20s span %4.1f lost %6.3f white %6.3f black %5.2f kept %.2f %.2f %.2f of %.2f room "
                    "%4.1f ends %4.1f %5.1f reversed %.2f\n",
                    std::string(method.key).c_str(), scene.name.c_str(), f.span, 100 * f.lost, 100 * f.white,
                    100 * f.black, f.dark, f.rest, f.bright, f.all / f.straightest, f.room, f.low, f.high,
                    100 * f.reversed);
        }
        column.report(report, "start." + std::string(method.key) + ".", method.value);
        unseen.report(report, "start.unseen." + std::string(method.key) + ".", method.value);
    }
}

} // namespace yolk::bench
