// Finishing: noise taken out of dark worlds against OpenCV's non-local means, veils of known air, and what all of it
// costs at full size.
#include "adjust/finish/haze.h"
#include "adjust/finish/noise_reduction.h"
#include "benchmarks.h"
#include "colour/transfer.h"
#include "image/copy.h"
#include "opened_set.h"
#include "scenes.h"
#include "synthetic_set.h"
#include "worlds/leaves.h"
#include "worlds/world.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include <algorithm>
#include <cmath>
#include <optional>
#include <random>

namespace yolk::bench {
namespace {

constexpr int kWidth = 600, kHeight = 400;

/// Noise of a sensor: variance by light, the same of all channels.
class ShotNoise : public NoiseField {
public:
    ShotNoise(const Image<float> &light, double gain, double read) : light_(light), gain_(gain), read_(read) {}
    void fill(const PixelGrid &grid, int y, int width, float *const variance[3]) const override
    {
        const int row = std::clamp(int(grid.y(y)), 0, light_.height() - 1);
        for (int c = 0; c < 3; ++c)
            for (int x = 0; x < width; ++x)
                variance[c][x] = float(of(light_.row(c, row)[std::clamp(int(grid.x(x)), 0, light_.width() - 1)]));
    }
    double of(float light) const { return gain_ * std::max(0.0, double(light)) + read_; }

private:
    const Image<float> &light_;
    double gain_, read_;
};

Image<float> areaThrough(const Adjustment &a, const Image<float> &picture)
{
    const int reach = a.context(1.0);
    Image<float> in(picture.width() + 2 * reach, picture.height() + 2 * reach, 3), out(picture.shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < in.height(); ++y)
            for (int x = 0; x < in.width(); ++x)
                in.row(c, y)[x] = picture.row(
                    c, std::clamp(y - reach, 0, picture.height() - 1))[std::clamp(x - reach, 0, picture.width() - 1)];
    a.apply(in.view(), out.view(), {});
    return out;
}

Survey surveyOf(const Image<float> &picture, std::shared_ptr<const NoiseField> noise)
{
    return {picture.view(), double(picture.width()), double(picture.height()), {}, 1.5, std::move(noise)};
}

/// Codes of 8 bits, as the rival takes and gives them.
cv::Mat coded(const Image<float> &light)
{
    cv::Mat out(light.height(), light.width(), CV_8UC3);
    for (int y = 0; y < light.height(); ++y)
        for (int x = 0; x < light.width(); ++x)
            for (int c = 0; c < 3; ++c)
                out.at<cv::Vec3b>(y, x)[2 - c] =
                    uint8_t(std::lround(255.0 * encodeSrgb(std::clamp(double(light.row(c, y)[x]), 0.0, 1.0))));
    return out;
}

/// Of codes where the truth is dark.
double shadowPsnr(const cv::Mat &got, const cv::Mat &truth)
{
    constexpr int kDark = 110; // of 255
    double sum = 0.0, count = 0.0;
    for (int y = 0; y < truth.rows; ++y)
        for (int x = 0; x < truth.cols; ++x)
            for (int c = 0; c < 3; ++c)
                if (const int t = truth.at<cv::Vec3b>(y, x)[c]; t < kDark) {
                    sum += std::pow(double(got.at<cv::Vec3b>(y, x)[c]) - t, 2.0);
                    ++count;
                }
    return count > 0.0 ? 10.0 * std::log10(255.0 * 255.0 * count / std::max(1e-9, sum)) : 99.0;
}

/// A world as a single dark exposure shows it: its middle at a tenth of white. `stops`: from its darkest things to its
/// lights, if other than the world's own.
Image<float> darkWorld(uint64_t seed, ExecContext &ctx, std::optional<double> stops = {})
{
    worlds::World world = worlds::worldOf(seed, kWidth, kHeight);
    world.scene.stops = stops.value_or(world.scene.stops);
    Image<float> light = worlds::renderLeaves(worlds::growLeaves(world.scene), world.scene, {}, 0.0, ctx);
    std::vector<float> greens;
    for (int y = 0; y < kHeight; ++y)
        greens.insert(greens.end(), light.row(1, y), light.row(1, y) + kWidth);
    std::ranges::nth_element(greens, greens.begin() + ptrdiff_t(greens.size() / 2));
    const float scale = 0.1f / greens[greens.size() / 2];
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                light.row(c, y)[x] *= scale;
    return light;
}

void noiseOfWorlds(Report &report, uint64_t first, size_t count, ExecContext &ctx)
{
    std::vector<double> gain, over, ours, theirs;
    for (size_t i = 0; i < count; ++i) {
        const Image<float> truth = darkWorld(first + i, ctx);
        const auto noise = std::make_shared<ShotNoise>(truth, 1e-3, 4e-5);
        std::mt19937_64 random(first + i);
        std::normal_distribution<double> normal;
        Image<float> shot(truth.shape());
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    shot.row(c, y)[x] =
                        float(double(truth.row(c, y)[x]) + std::sqrt(noise->of(truth.row(c, y)[x])) * normal(random));
        const cv::Mat right = coded(truth), before = coded(shot);
        // Both as strong as does each of them best.
        double best = 0.0, rival = 0.0;
        for (const double strength : {40.0, 60.0, 80.0, 100.0}) {
            const AdjustmentPtr a =
                NoiseReduction::make(NoiseReductionSettings{strength, strength, 25})->surveyed(surveyOf(shot, noise));
            Image<float> got;
            ours.push_back(medianSeconds(1, [&] { got = areaThrough(*a, shot); }));
            best = std::max(best, shadowPsnr(coded(got), right));
        }
        for (const float strength : {3.0f, 6.0f, 10.0f, 15.0f, 22.0f}) {
            cv::Mat got;
            theirs.push_back(
                medianSeconds(1, [&] { cv::fastNlMeansDenoisingColored(before, got, strength, strength); }));
            rival = std::max(rival, shadowPsnr(got, right));
        }
        gain.push_back(best - shadowPsnr(before, right));
        over.push_back(best - rival);
    }
    report.add("finish.noise_gain_db.median", percentile(gain, 0.5), "PSNR of the shadows, at least 6");
    report.add("finish.noise_gain_db.min", percentile(gain, 0.0), "the same");
    report.add("finish.noise_over_nlm_db.median", percentile(over, 0.5),
               "over fastNlMeansDenoisingColored, each at its best strength, above 0");
    report.add("finish.noise_over_nlm_db.min", percentile(over, 0.0), "the same");
    report.add("finish.noise_time_of_nlm", percentile(ours, 0.5) / percentile(theirs, 0.5),
               "one thread against its own threads, at most 1");
}

constexpr std::array kAir{0.55, 0.6, 0.7};
constexpr double kByDay = 7.0; // stops: haze stands by day, when no lamp is brighter than the air

/// A world by day, the share of its light that comes through the air, and what is seen then.
struct Veiled {
    Image<float> truth, through, shot;
};

Veiled veiled(Image<float> truth, Image<float> through)
{
    Image<float> shot(truth.shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double t = through.row(0, y)[x];
                shot.row(c, y)[x] = float(double(truth.row(c, y)[x]) * t + kAir[size_t(c)] * (1.0 - t));
            }
    return {std::move(truth), std::move(through), std::move(shot)};
}

/// Air between the camera and every leaf by its nearness, and open sky over the topmost eighth.
Veiled veiledByDepth(uint64_t seed, ExecContext &ctx)
{
    Image<float> truth = darkWorld(seed, ctx, kByDay);
    worlds::SceneSpec scene = worlds::worldOf(seed, kWidth, kHeight).scene;
    scene.stops = kByDay;
    std::vector<worlds::Leaf> leaves = worlds::growLeaves(scene);
    for (worlds::Leaf &leaf : leaves) { // drawn once more as how near they are
        leaf.surface = worlds::LeafSurface::Flat;
        leaf.depth = 0.0;
        leaf.light.fill(float(1.0 + leaf.nearness));
    }
    const Image<float> near = worlds::renderLeaves(leaves, scene, {}, 0.0, ctx);
    Image<float> through(kWidth, kHeight, 1);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
            const double nearness = std::clamp(double(near.row(1, y)[x]) - 1.0, 0.0, 1.0);
            through.row(0, y)[x] = y < kHeight / 8 ? 0.0f : float(std::exp(-1.2 * (1.0 - nearness)));
        }
    return veiled(std::move(truth), std::move(through));
}

Image<float> cleared(const Image<float> &shot)
{
    return areaThrough(*Haze::make(HazeSettings{100, 100})->surveyed(surveyOf(shot, nullptr)), shot);
}

/// What is wrong close to edges of depth and not further inside, on what is far, in shares of the air's light; and by how
/// much more than the veil asks for noise was raised.
void veilEdges(Report &report, uint64_t first, size_t count, ExecContext &ctx)
{
    std::vector<double> halo, noise, contrast;
    for (size_t i = 0; i < count; ++i) {
        const Veiled world = veiledByDepth(first + i, ctx);
        const Image<float> got = cleared(world.shot);
        cv::Mat edge(kHeight, kWidth, CV_8U, cv::Scalar(255)), distance;
        const auto through = [&](int x, int y) { return double(world.through.row(0, y)[x]); };
        for (int y = kHeight / 8 + 1; y < kHeight - 1; ++y)
            for (int x = 1; x < kWidth - 1; ++x)
                if (std::abs(through(x + 1, y) - through(x - 1, y)) > 0.1 ||
                    std::abs(through(x, y + 1) - through(x, y - 1)) > 0.1)
                    edge.at<uint8_t>(y, x) = 0;
        edge.rowRange(0, kHeight / 8 + 1).setTo(0);
        cv::distanceTransform(edge, distance, cv::DIST_L2, 5);
        std::mt19937_64 random(first + i);
        std::normal_distribution<double> normal;
        constexpr double kNoise = 0.003;
        Image<float> noisy = copyOf(world.shot);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                noisy.row(1, y)[x] += float(kNoise * normal(random));
        const Image<float> rough = cleared(noisy);
        std::vector<double> beside, inside, raised, lights, truths;
        for (int y = kHeight / 8 + 4; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double t = through(x, y);
                if (t > 0.55)
                    continue;
                const float away = distance.at<float>(y, x);
                const double wrong = double(got.row(1, y)[x] - world.truth.row(1, y)[x]) / kAir[1];
                if (away >= 2.0f && away < 8.0f)
                    beside.push_back(wrong);
                if (away >= 16.0f)
                    inside.push_back(wrong);
                if (away >= 2.0f) {
                    lights.push_back(double(got.row(1, y)[x]));
                    truths.push_back(double(world.truth.row(1, y)[x]));
                    raised.push_back(std::pow(double(rough.row(1, y)[x] - got.row(1, y)[x]) / kNoise * t, 2.0));
                }
            }
        if (beside.size() < 500 || inside.size() < 500)
            continue; // nothing far, or no edges
        halo.push_back(std::abs(percentile(beside, 0.5) - percentile(inside, 0.5)));
        noise.push_back(std::sqrt(percentile(raised, 0.5) / 0.455)); // median of the square of a unit normal
        contrast.push_back((percentile(lights, 0.9) - percentile(lights, 0.1)) /
                           (percentile(truths, 0.9) - percentile(truths, 0.1)));
    }
    report.add("finish.veil_depth_contrast.median", percentile(contrast, 0.5), "of far leaves, 0.85 to 1.15");
    report.add("finish.veil_depth_contrast.p10", percentile(contrast, 0.1), "the same");
    report.add("finish.veil_depth_contrast.p90", percentile(contrast, 0.9), "the same");
    report.add("finish.veil_halo.median", percentile(halo, 0.5),
               "of the air's light beside edges of depth, at most 0.02");
    report.add("finish.veil_halo.p90", percentile(halo, 0.9), "the same");
    report.add("finish.veil_noise.median", percentile(noise, 0.5), "raised over what the veil asks for, at most 1");
    report.add("finish.veil_noise.p90", percentile(noise, 0.9), "the same");
}

/// Leaves behind a veil that thickens towards the top.
void veilOfWorlds(Report &report, uint64_t first, size_t count, ExecContext &ctx)
{
    std::vector<double> contrast, before;
    for (size_t i = 0; i < count; ++i) {
        Image<float> truth = darkWorld(first + i, ctx, kByDay);
        // The upper half is far: the veil grows towards the top, and over the topmost eighth only air is seen.
        const auto throughAt = [](int y) {
            const double far = std::clamp(1.0 - double(y) / (0.75 * kHeight), 0.0, 1.0);
            return y < kHeight / 8 ? 0.0 : std::exp(-1.5 * far);
        };
        Image<float> through(kWidth, kHeight, 1);
        for (int y = 0; y < kHeight; ++y)
            std::fill_n(through.row(0, y), kWidth, float(throughAt(y)));
        const Veiled world = veiled(std::move(truth), std::move(through));
        const Image<float> got = cleared(world.shot);
        const auto contrastOf = [&](const Image<float> &p) {
            std::vector<double> lights;
            for (int y = kHeight / 6; y < kHeight / 3; ++y)
                for (int x = 0; x < kWidth; ++x)
                    lights.push_back(double(p.row(1, y)[x]));
            return percentile(lights, 0.9) - percentile(lights, 0.1);
        };
        contrast.push_back(contrastOf(got) / contrastOf(world.truth));
        before.push_back(contrastOf(world.shot) / contrastOf(world.truth));
    }
    report.add("finish.veil_before.median", percentile(before, 0.5), "contrast of far things over the truth, veiled");
    report.add("finish.veil_contrast.median", percentile(contrast, 0.5), "and cleared, 0.85 to 1.15");
    report.add("finish.veil_contrast.p10", percentile(contrast, 0.1), "the same");
    report.add("finish.veil_contrast.p90", percentile(contrast, 0.9), "the same");
}

void cost(Report &report, const std::string &folder, ExecContext &ctx)
{
    ExecContext opening = ctx.child({}), merging = ctx.child({});
    const OpenedSet set = openSet(largeBracket(folder, 3), opening);
    Recipe plain, all;
    auto &a = all.adjustments;
    settingsOf<NoiseReduction>(a) = {60, 60, 50};
    settingsOf<Haze>(a) = {30, 100};
    settingsOf<Sharpness>(a) = {40, 1.0, 30};
    settingsOf<Glow>(a) = {30, 30, 10};
    settingsOf<DeepSky>(a) = {50};
    settingsOf<WarmLight>(a) = {30};
    settingsOf<Vignette>(a) = {-0.7, 0.2, 60, 60, 0, 50, 50};
    settingsOf<Grain>(a) = {20, 25};
    mergedOf(RenderPlan(set.sources, set.measured, plain), 1, merging);
    const auto seconds = [&](const Recipe &recipe) {
        return medianSeconds(3, [&] {
            ExecContext own = ctx.child({});
            render(RenderPlan(set.sources, set.measured, recipe), {1, {}, 0, 0, true}, own);
        });
    };
    const double without = seconds(plain), with = seconds(all);
    report.add("finish.full_s", with, "24 megapixels with everything on, merged before");
    report.add("finish.full_ratio", with / without, "over the same without, at most 3");
}

} // namespace

void benchFinish(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(20);
    noiseOfWorlds(report, first, count, ctx);
    veilOfWorlds(report, first, count, ctx);
    veilEdges(report, first, count, ctx);
    cost(report, folder, ctx);
}

} // namespace yolk::bench
