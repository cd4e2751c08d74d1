// What moved: scenes in which things move between frames, against the truth of the state that was taken, and static
// ones, where looking for movement must cost nothing.
#include "benchmarks.h"
#include "opened_set.h"
#include "synthetic_set.h"

#include "colour/transfer.h"
#include "io/linear_codes.h"
#include "io/radiance_file.h"
#include "render/plan/render_plan.h"
#include "render/stages/align_stage.h"
#include "support/demo_data.h"
#include "support/moving_scenes.h"
#include "support/pu21.h"
#include "support/still_scenes.h"

#include <opencv2/core.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <filesystem>
#include <stdexcept>

namespace yolk::bench {
namespace {

constexpr double kEvs[]{0, -4, -2, 2, 4}; // of the states, as the demo set was taken
constexpr double kClipsAt = 1.5;

std::vector<std::string> shoot(const test::MovingScene &scene, const std::string &folder, const char *suffix)
{
    std::filesystem::create_directories(folder);
    std::vector<std::string> paths;
    for (size_t i = 0; i < scene.states.size(); ++i) {
        demo::Shot shot;
        shot.clipsAt = kClipsAt * std::exp2(-kEvs[i]);
        shot.exposureSeconds = std::exp2(kEvs[i]) / 64.0;
        shot.seed = 900 + i;
        paths.push_back(folder + "/" + scene.name + "-" + std::to_string(i + 1) + suffix);
        if (std::string_view(suffix) == ".dng")
            demo::writeDng(paths.back(), demo::exposeMosaic(scene.states[i].view(), shot).view(), shot);
        else
            demo::writeFrame(paths.back(), demo::expose(scene.states[i].view(), shot).view(), shot,
                             demo::FrameFile::Jpeg);
    }
    return paths;
}

float luminance709(const Image<float> &rgb, int x, int y)
{
    return 0.2126f * rgb.row(0, y)[x] + 0.7152f * rgb.row(1, y)[x] + 0.0722f * rgb.row(2, y)[x];
}

struct Score {
    double within = 0.0; ///< share of what is scored that lies within a quarter of a stop of the state's truth
    double alone = 0.0;  ///< the same of that frame by itself, without any merge: demosaicing and coding bend edges
    double beside = 0.0; ///< as within, with what lies beside clipped pixels of raw frames
    double strict = 0.0; ///< as within, against the truth as the reference frame would have seen it
};

/// Linear Rec. 709 as a frame of an exposure keeps it, without noise.
Image<uint16_t> codesOf(const Image<float> &light, double clipsAt)
{
    Image<uint16_t> out(light.shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < light.height(); ++y)
            for (int x = 0; x < light.width(); ++x)
                out.row(c, y)[x] = codeOfLinear(double(light.row(c, y)[x]) / clipsAt);
    return out;
}

/// Each state as its own frame saw it, brought onto the reference as that frame was: a thing that stands in one frame
/// only has a place nowhere else. Without `own` views, as the reference frame would have seen it.
std::vector<Image<float>> statesOnReference(const OpenedSet &set, const Recipe &recipe,
                                            const std::vector<Image<float>> &own, ExecContext &ctx)
{
    ExecContext aligning = ctx.child({});
    const Bracket bracket = bracketOf(set.sources, set.measured, recipe);
    const auto used = bracket.used();
    const auto aligned = alignedSet(RenderPlan(set.sources, set.measured, recipe), 1, aligning);
    std::vector<Image<float>> out(own.size());
    for (size_t i = 0; i < used.size(); ++i) {
        const size_t given = size_t(used[i]->given - 1);
        const double clipsAt = kClipsAt * std::exp2(-kEvs[given]);
        const Image<uint16_t> codes = codesOf(own[given], clipsAt);
        const Warped warped =
            warpFrame(codes.view(), aligned->alignment[i].toReference.transform, aligned->displacements[i],
                      codes.width(), codes.height(), ClippedRim::Drop, aligning);
        Image<float> &to = out[given];
        to = Image<float>(codes.shape());
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < to.height(); ++y)
                for (int x = 0; x < to.width(); ++x)
                    to.row(c, y)[x] = float(double(linearOfCode(warped.codes.row(c, y)[x])) * clipsAt);
    }
    return out;
}

/// Whether a pixel or one that touches it clips in a raw frame: two of its three colours are made from those.
bool besideClipped(const Image<float> &light, double clipsAt, int x, int y)
{
    for (int v = std::max(0, y - 1); v <= std::min(light.height() - 1, y + 1); ++v)
        for (int u = std::max(0, x - 1); u <= std::min(light.width() - 1, x + 1); ++u)
            for (int c = 0; c < 3; ++c)
                if (double(light.row(c, v)[u]) > 0.97 * clipsAt)
                    return true;
    return false;
}

/// Pixels of the mask that the reported state's frame holds at SNR 20 or more, unclipped.
Score scoreOf(const OpenedSet &set, const Recipe &recipe, const test::MovingScene &truth,
              const std::vector<Image<float>> &ownViews, ExecContext &ctx)
{
    ExecContext own = ctx.child({});
    const MergedPtr merged = mergedOf(RenderPlan(set.sources, set.measured, recipe), 1, own);
    const PicturePtr scene = sceneOf(RenderPlan(set.sources, set.measured, recipe), {}, own);
    const Bracket bracket = bracketOf(set.sources, set.measured, recipe);
    const Movement &movement = merged->movement;
    const std::vector<Image<float>> seen =
        ownViews.empty() ? std::vector<Image<float>>() : statesOnReference(set, recipe, ownViews, own);
    std::vector<const BracketFrame *> frames; // in the order of frameIds
    for (const std::string &id : merged->frameIds)
        frames.push_back(&*std::ranges::find(bracket.frames, id, [](const BracketFrame &f) { return f.frame->id; }));
    const Matrix3 m = rgbToRgb(kRec2020, kRec709);
    const auto got = [&](int x, int y) {
        const Vector3 v = m * Vector3{scene->row(0, y)[x], scene->row(1, y)[x], scene->row(2, y)[x]};
        return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
    };
    const int width = truth.mask.width(), height = truth.mask.height();
    std::vector<double> ratios; // one scale for both: the median outside the mask
    for (int y = 0; y < height; y += 7)
        for (int x = 0; x < width; x += 7)
            if (!truth.mask.row(0, y)[x] && luminance709(truth.states[0], x, y) > 0.01f)
                ratios.push_back(got(x, y) / double(luminance709(truth.states[0], x, y)));
    const double scale = percentile(ratios, 0.5);
    const auto aligned = alignedSet(RenderPlan(set.sources, set.measured, recipe), 1, own);
    const Matrix3 fromFrame = m * merged->colour.toRec2020;
    const auto alone = [&](size_t state, int x, int y) {
        Vector3 rgb;
        for (int c = 0; c < 3; ++c)
            rgb[size_t(c)] = double(linearOfCode(aligned->pixels[state]->row(c, y)[x])) * bracket.anchorExposure /
                             frames[state]->exposure;
        const Vector3 v = fromFrame * rgb;
        return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
    };
    // Where no place says otherwise, the picture is as the reference sees it: all frames were brought onto that.
    const size_t reference = size_t(std::ranges::find(frames, &bracket.frames[bracket.reference]) - frames.begin());
    if (reference == frames.size())
        throw std::logic_error("the reference is not merged");
    double mask = 0, scored = 0, within = 0, strict = 0, clipped = 0, outside = 0, byItself = 0;
    double all = 0, allWithin = 0; // with those beside clipped ones
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            if (!truth.mask.row(0, y)[x])
                continue;
            ++mask;
            const int place = movement.placeAt(x, y);
            const size_t state = place < 0 ? reference : movement.places[size_t(place)].frame;
            const BracketFrame &frame = *frames[state];
            const size_t given = size_t(frame.given - 1);
            const Image<float> &want = truth.states[given];
            const double clipsAt = kClipsAt * std::exp2(-kEvs[given]);
            const double light = double(luminance709(want, x, y)), z = light / clipsAt;
            const auto largest = [&](const Image<float> &rgb) {
                return double(std::max({rgb.row(0, y)[x], rgb.row(1, y)[x], rgb.row(2, y)[x]}));
            };
            const double most =
                (seen.empty() ? largest(want) : std::max(largest(want), largest(seen[given]))) / clipsAt;
            const auto &trust = aligned->trust[state];
            if (trust && trust->row(0, y)[x] == kNotCovered)
                continue;
            if (most > 0.97) {
                ++clipped;
                continue;
            }
            if (z / std::sqrt(frame.measured.noise.variance(z)) < 20.0)
                continue;
            const double here = got(x, y) / scale;
            const auto near = [](double a, double b) { return std::abs(std::log2(a / b)) <= 0.25; };
            const double wanted = seen.empty() ? light : double(luminance709(seen[given], x, y));
            ++all;
            allWithin += near(here, wanted);
            if (frame.frame->isRaw() && besideClipped(want, clipsAt, x, y))
                continue;
            ++scored;
            outside += place < 0;
            strict += near(here, light);
            within += near(here, wanted);
            byItself += near(alone(state, x, y) / scale, wanted);
        }
    std::printf(
        "  keeper %d, %zu things, %.2f %% of the picture; scored %.1f %% of the mask, clipped %.1f %%, outside of "
        "places %.1f %%; within %.2f %%, that frame alone %.2f %%, with what lies beside clipped pixels %.2f %%, "
        "as the reference would see it %.2f %%\n",
        frames[movement.keeper]->given, size_t(std::ranges::count(movement.places, false, &MovedPlace::slight)),
        100.0 * movement.share(), 100.0 * scored / mask, 100.0 * clipped / mask, 100.0 * outside / scored,
        100.0 * within / scored, 100.0 * byItself / scored, 100.0 * allWithin / all, 100.0 * strict / scored);
    std::fflush(stdout);
    return {within / scored, byItself / scored, allWithin / all, strict / scored};
}

double pu21Of(const OpenedSet &set, double sensitivity, const Image<float> &truth, ExecContext &ctx)
{
    Recipe recipe;
    recipe.movement.sensitivity = sensitivity;
    ExecContext own = ctx.child({});
    const PicturePtr scene = sceneOf(RenderPlan(set.sources, set.measured, recipe), {}, own);
    return test::pu21Psnr(test::converted(*scene, rgbToRgb(kRec2020, kRec709)).view(), truth.view());
}

/// What looking for movement costs where there is none.
void benchStatic(Report &report, const std::string &folder, ExecContext &ctx)
{
    double middle = 0.0, full = 0.0;
    const auto measure = [&](const std::string &name, const std::vector<std::string> &paths,
                             const Image<float> &truth) {
        const OpenedSet set = openSet(paths, ctx);
        const double off = pu21Of(set, 0.0, truth, ctx), at50 = off - pu21Of(set, 50.0, truth, ctx),
                     at100 = off - pu21Of(set, 100.0, truth, ctx);
        std::printf("  static %-22s %6.2f dB, less %+.3f at 50, %+.3f at 100\n", name.c_str(), off, at50, at100);
        std::fflush(stdout);
        middle = std::max(middle, std::abs(at50));
        full = std::max(full, std::abs(at100));
    };
    std::vector<std::string> tripod;
    for (const auto &f : test::demoFrames("henhouse-tripod"))
        tripod.push_back(f.path.toStdString());
    const test::DemoFrame first = test::demoFrames("henhouse-tripod")[0];
    measure("tripod", tripod, demo::throughLens(readExr(first.scene.toStdString()).rgb.view(), first.lens()));
    for (const test::StillScene &scene : test::stillScenes())
        for (const test::FrameKind kind : {test::FrameKind::Camera, test::FrameKind::Sixteen, test::FrameKind::Raw})
            measure(scene.name + (kind == test::FrameKind::Camera ? ".jpg"
                                  : kind == test::FrameKind::Raw  ? ".dng"
                                                                  : ".tif"),
                    test::shootStill(scene, kind, folder), scene.truth);
    report.add("movement.static_loss_db", middle, "sensitivity 50 against 0, the largest change; goal 0.1");
    report.add("movement.static_loss_db_at_100", full, "sensitivity 100 against 0; goal 0.3");
}

/// Merge and movement of decoded frames together, beside OpenCV's merge.
void benchCost(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    cv::setNumThreads(2);
    const std::vector<std::string> paths = largeBracket(folder, 3);
    const OpenedSet set = openSet(paths, ctx);
    Recipe recipe;
    recipe.align.mode = AlignMode::Off;
    const Bracket bracket = bracketOf(set.sources, set.measured, recipe);
    ExecContext decoding = ctx.child({});
    const auto aligned = alignedSet(RenderPlan(set.sources, set.measured, recipe), 1, decoding);
    std::vector<cv::Mat> eightBit;
    std::vector<float> times;
    for (const std::string &path : paths) {
        eightBit.push_back(eightBitPixels(path, ctx));
        times.push_back(float(*loadFrame(path)->metadata.exposureSeconds));
    }
    const auto used = bracket.used();
    std::vector<AlignedFrame> frames;
    std::vector<Exposure> exposures;
    for (size_t i = 0; i < used.size(); ++i) {
        const double e = used[i]->exposure / bracket.anchorExposure;
        frames.push_back({aligned->pixels[i]->view(), {}, e, used[i]->measured.noise});
        exposures.push_back({aligned->pixels[i]->view(), e, used[i]->measured.noise});
    }
    double looking = 0.0;
    const double ours = medianSeconds(5, [&] {
        ExecContext own = ctx.child({});
        Movement movement;
        looking = medianSeconds(1, [&] { movement = findMovement(frames, {50.0, std::nullopt, 1}, own); });
        for (size_t i = 0; i < exposures.size(); ++i) {
            exposures[i].movement = movement.places.empty() ? ImageView<const int8_t>{} : movement.grids[i].view();
            exposures[i].movementCell = movement.cell;
        }
        mergeRadiance(exposures, {1.0, 1.0, 1.0}, own);
    });
    cv::Mat response(256, 1, CV_32FC3), merged;
    for (int i = 0; i < 256; ++i)
        response.at<cv::Vec3f>(i) = cv::Vec3f::all(float(std::max(1e-5, decodeSrgb(i / 255.0))));
    const auto debevec = cv::createMergeDebevec();
    const double theirs = medianSeconds(3, [&] { debevec->process(eightBit, merged, times, response); });
    report.add("movement.seconds.3x24mp", looking, "finding what moved");
    report.add("movement.with_merge_seconds.3x24mp", ours, "finding what moved, and merging");
    report.add("movement.with_merge_time_ratio_opencv_debevec.3x24mp", ours / theirs, "goal 0.15");
}

} // namespace

void benchMovement(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    benchCost(report, folder);
    benchStatic(report, folder, ctx);
    double least = 1.0;
    std::vector<test::MovingScene> scenes;
    for (const test::Moving kind : test::kAllMoving) {
        test::MovingScene scene = test::movingScene(kind, 5);
        for (Image<float> &state : scene.states) // as sharp as a lens is
            state = demo::throughLens(state.view(), {.softness = 0.6});
        for (const char *suffix : {".dng", ".jpg"}) {
            std::printf("%s%s\n", scene.name.c_str(), suffix);
            const OpenedSet set = openSet(shoot(scene, folder, suffix), ctx);
            const Score score = scoreOf(set, {}, scene, {}, ctx);
            least = std::min(least, score.within);
            report.add("movement.within_quarter_stop." + scene.name + suffix, score.within, "goal 0.99");
        }
    }
    {
        test::MovingScene demo = test::movingDemo();
        const auto frames = test::demoFrames("henhouse-handheld");
        demo::Lens lens = frames[0].lens();
        for (Image<float> &state : demo.states)
            state = demo::throughLens(state.view(), lens);
        std::vector<std::string> paths;
        for (const auto &f : frames)
            paths.push_back(f.path.toStdString());
        std::vector<Image<float>> ownViews;
        for (const auto &f : frames)
            ownViews.push_back(demo::throughLens(readExr(f.scene.toStdString()).rgb.view(), lens));
        const OpenedSet set = openSet(paths, ctx);
        for (int keeper = 0; keeper <= 4; ++keeper) {
            Recipe recipe;
            recipe.frames.reference = set.sources.frames[0]->id;
            if (keeper > 0)
                recipe.frames.keeper = set.sources.frames[size_t(keeper)]->id;
            std::printf("henhouse, keeper %s\n", keeper ? std::to_string(keeper + 1).c_str() : "auto");
            const Score score = scoreOf(set, recipe, demo, ownViews, ctx);
            least = std::min(least, score.within);
            report.add("movement.within_quarter_stop.henhouse." + (keeper ? std::to_string(keeper + 1) : "auto"),
                       score.within, "goal 0.99");
        }
    }
    report.add("movement.within_quarter_stop", least, "worst of the above; goal 0.99");
}

} // namespace yolk::bench
