// Hand-held frames with parallax: the demo set with everything that can move at rest, against the truth from where the
// reference frame was taken.
#include "benchmarks.h"
#include "opened_set.h"

#include "align/warp.h"
#include "colour/primaries.h"
#include "io/radiance_file.h"
#include "render/stages/frame_stage.h"
#include "support/demo_data.h"
#include "support/pu21.h"
#include "tone/tone_curve.h"

#include <cmath>
#include <filesystem>

namespace yolk::bench {
namespace {

/// The hand-held frames as frames.txt says, of other scenes.
std::vector<std::string> shoot(const std::vector<test::DemoFrame> &frames, const std::vector<std::string> &scenes,
                               const std::string &folder)
{
    std::filesystem::create_directories(folder);
    std::vector<std::string> paths;
    for (size_t i = 0; i < frames.size(); ++i) {
        const test::DemoFrame &f = frames[i];
        demo::Shot shot;
        shot.clipsAt = f.number("--clips-at");
        shot.exposureSeconds = f.number("--seconds");
        shot.fNumber = f.number("--f-number");
        shot.iso = int(f.number("--iso"));
        shot.seed = uint64_t(f.number("--seed"));
        const Image<float> seen = demo::throughLens(readExr(scenes[i]).rgb.view(), f.lens());
        paths.push_back(folder + "/frame-" + std::to_string(i) + ".dng");
        demo::writeDng(paths.back(), demo::exposeMosaic(seen.view(), shot).view(), shot);
    }
    return paths;
}

/// What a user gets.
double ours(const OpenedSet &set, Recipe recipe, const Image<float> &truth, ExecContext &ctx)
{
    recipe.frames.reference = set.sources.frames[0]->id; // the truth is seen from its place
    ExecContext own = ctx.child({});
    const PicturePtr scene = sceneOf(RenderPlan(set.sources, set.measured, recipe), {}, own);
    return test::pu21Psnr(test::converted(*scene, rgbToRgb(kRec2020, kRec709)).view(), truth.view());
}

/// The homography between two noise-free pictures.
Transform best(const Image<float> &still, const Image<float> &moving, ExecContext &ctx)
{
    const auto guide = [&](const Image<float> &rgb) {
        Image<uint16_t> codes(rgb.shape()); // shape only: the light is put in its place
        Guide out = guideOf({codes.view(), 1.0, {1e-9, 1e-9}}, 1e9, ctx);
        for (GuideLevel &level : out.levels) {
            const int factor = rgb.width() / level.light.width();
            for (int y = 0; y < level.light.height(); ++y)
                for (int x = 0; x < level.light.width(); ++x) {
                    float sum = 0.0f;
                    for (int j = 0; j < factor; ++j)
                        for (int i = 0; i < factor; ++i)
                            for (int c = 0; c < 3; ++c)
                                sum += (c == 1 ? 0.5f : 0.25f) * rgb.row(c, y * factor + j)[x * factor + i];
                    level.light.row(0, y)[x] = sum / float(factor * factor);
                }
        }
        return out;
    };
    const std::vector<Guide> guides = [&] {
        std::vector<Guide> g;
        g.push_back(guide(still));
        g.push_back(guide(moving));
        return g;
    }();
    ExecContext own = ctx.child({});
    return alignFrames(guides, 0, {ModelChoice::Homography, 1e9}, own)[1].toReference.transform;
}

/// The merge behind given transforms, without anything else.
double behind(const OpenedSet &set, const std::vector<Transform> &transforms, const Image<float> &truth,
              ExecContext &ctx)
{
    Recipe recipe;
    recipe.frames.reference = set.sources.frames[0]->id;
    const Bracket bracket = bracketOf(set.sources, set.measured, recipe);
    std::vector<Warped> warped;
    std::vector<Exposure> exposures;
    ExecContext own = ctx.child({});
    for (const BracketFrame *f : bracket.used()) {
        const DecodedPtr pixels = prepared(set.sources, *f->frame, preparationOf(*f, set.measured, Recipe{}), 1, own);
        warped.push_back(warpFrame(pixels->view(), transforms[size_t(f->given - 1)], {}, truth.width(), truth.height(),
                                   ClippedRim::Drop, own));
    }
    size_t i = 0;
    for (const BracketFrame *f : bracket.used()) {
        exposures.push_back({warped[i].codes.view(), f->exposure / bracket.anchorExposure, f->measured.noise, 1.0,
                             warped[i].trust.view()});
        ++i;
    }
    const CodeValues &colour = bracket.frames[bracket.reference].frame->codeValues;
    const Merged merged = mergeRadiance(exposures, colour.neutral, own);
    const Matrix3 toTruth = rgbToRgb(kRec2020, kRec709) * colour.toRec2020;
    return test::pu21Psnr(test::converted(merged.radiance, toTruth).view(), truth.view());
}

} // namespace

void benchParallax(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const std::vector<test::DemoFrame> frames = test::demoFrames("henhouse-handheld");
    const std::string still = test::demoTruth("still").toStdString();
    std::vector<std::string> moved;
    for (size_t i = 0; i < frames.size(); ++i)
        moved.push_back(i == 0 ? still : test::demoTruth(QString("quiet%1").arg(i)).toStdString());
    const Image<float> truth = demo::throughLens(readExr(still).rgb.view(), frames[0].lens());
    // Fringes are found from the picture, so the truth is without them.
    std::vector<Transform> transforms{{}};
    for (size_t i = 1; i < frames.size(); ++i)
        transforms.push_back(best(readExr(still).rgb, readExr(moved[i]).rgb, ctx));

    const OpenedSet tripod = openSet(shoot(frames, std::vector(frames.size(), still), folder + "/tripod"), ctx);
    const double steady = ours(tripod, {}, truth, ctx);
    report.add("align.pu21_db_tripod", steady, "the same frames from one place");
    Recipe off;
    off.align.mode = AlignMode::Off;
    report.add("align.identical_loss_db", ours(tripod, off, truth, ctx) - steady,
               "alignment off against on, at most 0.05");
    const OpenedSet held = openSet(shoot(frames, moved, folder + "/held"), ctx);
    const double got = ours(held, {}, truth, ctx), plain = behind(held, transforms, truth, ctx);
    report.add("align.pu21_db_unaligned", ours(held, off, truth, ctx), "");
    Recipe one;
    one.align.local = AlignMode::Off;
    report.add("align.pu21_db_one_motion", ours(held, one, truth, ctx), "one motion for each frame, ours");
    report.add("align.pu21_db_homography", plain, "the best homography for each frame, from noise-free truth");
    report.add("align.pu21_db", got, "with local refinement");
    Recipe mixed;
    mixed.movement.mode = MovementMode::Off;
    report.add("align.pu21_db_no_movement", ours(held, mixed, truth, ctx), "without looking for movement");
    report.add("align.pu21_gain_db", got - plain, "goal 6");
    report.add("align.pu21_tripod_loss_db", steady - got, "goal 3 at most");
}

} // namespace yolk::bench
