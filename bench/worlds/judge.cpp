#include "worlds/judge.h"

#include "base/robust.h"
#include "colour/oklab.h"
#include "support/ciede2000.h"
#include "support/pu21.h"
#include "worlds/luminance.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <numbers>
#include <set>

namespace yolk::worlds {
namespace {

/// The power that brings light nearest to the truth, in the logarithm, where both are well above nothing.
double commonPower(ImageView<const float> got, ImageView<const float> truth, ImageView<const uint8_t> mask)
{
    std::vector<std::pair<double, double>> points;
    for (int y = 0; y < got.height(); y += 3)
        for (int x = 0; x < got.width(); x += 3)
            if (const double a = luminanceAt(got, x, y), b = luminanceAt(truth, x, y);
                mask.row(0, y)[x] && a > 1e-6 && b > 1e-6)
                points.emplace_back(std::log(a), std::log(b));
    if (points.size() < 100)
        return 1.0;
    std::ranges::sort(points);
    // Through the means of the middle sixteenths: few outliers, and both errors small beside the range.
    double x = 0.0, y = 0.0, xx = 0.0, xy = 0.0, n = 0.0;
    const size_t first = points.size() / 20, last = points.size() - points.size() / 20;
    for (size_t i = first; i < last; ++i) {
        x += points[i].first;
        y += points[i].second;
        xx += points[i].first * points[i].first;
        xy += points[i].first * points[i].second;
        n += 1.0;
    }
    const double variance = xx / n - x / n * x / n;
    return variance > 0.01 ? std::clamp((xy / n - x / n * y / n) / variance, 0.3, 3.0) : 1.0;
}

/// PU21-PSNR where things stand still.
double scoreOf(const Image<float> &got, const Image<float> &truth, const Image<uint8_t> &mask, double power)
{
    // What moved takes the truth, in the scale that fits the rest.
    std::vector<double> ratios;
    Image<float> own(got.shape());
    for (int y = 0; y < got.height(); ++y)
        for (int x = 0; x < got.width(); ++x) {
            for (int c = 0; c < 3; ++c)
                own.row(c, y)[x] =
                    power == 1.0 ? got.row(c, y)[x] : float(std::pow(double(std::max(got.row(c, y)[x], 1e-9f)), power));
            if ((x + y) % 5 == 0 && mask.row(0, y)[x])
                if (const double a = luminanceAt(own.view(), x, y), b = luminanceAt(truth.view(), x, y);
                    a > 0.0 && b > 0.0)
                    ratios.push_back(a / b);
        }
    if (ratios.empty())
        return 0.0;
    std::ranges::nth_element(ratios, ratios.begin() + ptrdiff_t(ratios.size() / 2));
    const auto scale = float(ratios[ratios.size() / 2]);
    for (int y = 0; y < got.height(); ++y)
        for (int x = 0; x < got.width(); ++x)
            if (!mask.row(0, y)[x])
                for (int c = 0; c < 3; ++c)
                    own.row(c, y)[x] = truth.row(c, y)[x] * scale;
    return test::pu21Psnr(own.view(), truth.view());
}

double hueOf(ImageView<const float> rgb, int x, int y, double &chroma)
{
    static const OklabSpace kSpace(kRec709);
    const Oklab lab = kSpace.fromRgb({double(rgb.row(0, y)[x]), double(rgb.row(1, y)[x]), double(rgb.row(2, y)[x])});
    chroma = chromaOf(lab) / std::max(lab.L, 1e-6);
    return std::atan2(lab.b, lab.a) * 180.0 / std::numbers::pi;
}

/// Share of the brightest tenth that lies where another merge has it.
double lightsWithin(const Image<float> &got, const Image<float> &told)
{
    std::vector<float> all;
    for (int y = 0; y < told.height(); ++y)
        for (int x = 0; x < told.width(); ++x)
            all.push_back(float(luminanceAt(told.view(), x, y)));
    std::vector<float> sorted = all;
    const auto tenth = sorted.begin() + ptrdiff_t(sorted.size() * 9 / 10);
    std::ranges::nth_element(sorted, tenth);
    double within = 0.0, count = 0.0;
    for (int y = 0; y < told.height(); ++y)
        for (int x = 0; x < told.width(); ++x) {
            const double b = luminanceAt(told.view(), x, y);
            if (b < double(*tenth))
                continue;
            count += 1.0;
            const double a = luminanceAt(got.view(), x, y);
            double chromaA = 0.0, chromaB = 0.0;
            const double turned = hueOf(got.view(), x, y, chromaA) - hueOf(told.view(), x, y, chromaB);
            const double hue = std::abs(std::remainder(turned, 360.0));
            const bool grey = std::max(chromaA, chromaB) < 0.05;
            within += a > 0.0 && std::abs(std::log2(a / b)) <= 0.1 && (grey || hue <= 3.0);
        }
    return count > 0.0 ? within / count : 1.0;
}

/// Means of flat patches on both sides of borders between sources, as CIEDE2000 of what they are off by on middle grey.
double bordersOff(const MergedSet &merged, const Image<float> &got, const Image<float> &truth,
                  const Image<uint8_t> &mask)
{
    constexpr int kSide = 12;
    constexpr double kFlat = 0.1, kGrey = 0.18;
    struct Patch {
        int source = -1; ///< -1: not flat, or not there
        Vector3 off{};   ///< got over truth
    };
    const int across = got.width() / kSide, down = got.height() / kSide;
    std::vector<Patch> patches(size_t(across) * size_t(down));
    const int frames = merged.pixels.shares.planes();
    for (int row = 0; row < down; ++row)
        for (int column = 0; column < across; ++column) {
            double squares = 0.0, sum = 0.0;
            Vector3 a{}, b{};
            std::vector<double> shares(size_t(frames), 0.0);
            bool still = true;
            for (int y = row * kSide; y < (row + 1) * kSide; ++y)
                for (int x = column * kSide; x < (column + 1) * kSide; ++x) {
                    still = still && mask.row(0, y)[x] && merged.pixels.clipped.row(0, y)[x] == 0;
                    const double t = luminanceAt(truth.view(), x, y);
                    sum += t;
                    squares += t * t;
                    for (size_t c = 0; c < 3; ++c) {
                        a[c] += double(got.row(int(c), y)[x]);
                        b[c] += double(truth.row(int(c), y)[x]);
                    }
                    for (int f = 0; f < frames; ++f)
                        shares[size_t(f)] += merged.pixels.shares.row(f, y)[x];
                }
            constexpr double n = kSide * kSide;
            const double mean = sum / n;
            if (!still || !(mean > 0.0) || squares / n - mean * mean > std::pow(kFlat * mean, 2))
                continue;
            Patch &patch = patches[size_t(row * across + column)];
            patch.source = int(std::ranges::max_element(shares) - shares.begin());
            for (size_t c = 0; c < 3; ++c)
                patch.off[c] = a[c] / std::max(b[c], 1e-12);
        }
    std::vector<double> off;
    const auto compare = [&](const Patch &a, const Patch &b) {
        if (a.source < 0 || b.source < 0 || a.source == b.source)
            return;
        const double scale = kGrey / std::sqrt(a.off[1] * b.off[1]);
        off.push_back(test::ciede2000(test::labOf({a.off[0] * scale, a.off[1] * scale, a.off[2] * scale}),
                                      test::labOf({b.off[0] * scale, b.off[1] * scale, b.off[2] * scale})));
    };
    for (int row = 0; row < down; ++row)
        for (int column = 0; column < across; ++column) {
            const Patch &here = patches[size_t(row * across + column)];
            if (column + 1 < across)
                compare(here, patches[size_t(row * across + column + 1)]);
            if (row + 1 < down)
                compare(here, patches[size_t((row + 1) * across + column)]);
        }
    std::ranges::sort(off);
    return off.empty() ? 0.0 : off[off.size() * 95 / 100];
}

/// RMS of full scale of a curve against the world's, after one common power.
double curveError(const World &world, const Response &response)
{
    std::vector<std::array<double, 2>> points; // got, wanted
    for (int c = 0; c < 3; ++c)
        for (int i = 1; i < 200; ++i)
            points.push_back({response.lightOf(i / 200.0, c), trueLight(world, i / 200.0, c)});
    double best = 1e9;
    for (double power = 0.4; power < 2.5; power *= 1.01) {
        double sum = 0.0;
        for (const auto &[got, wanted] : points)
            sum += std::pow(std::pow(got, power) - wanted, 2);
        best = std::min(best, std::sqrt(sum / double(points.size())));
    }
    return best;
}

/// What was measured, and where it was placed, with nothing but the white of its frames as it is.
Measured withWhite(Measured measured, double share)
{
    for (MeasuredFrame &f : measured.frames) {
        const double ratio = f.whiteShare / share;
        f.exposure *= ratio;
        f.noise.gain *= ratio;
        f.noise.readVariance *= ratio * ratio;
        f.whiteShare = share;
    }
    return measured;
}

double worstExposure(const World &world, const ShotWorld &shot, const Measured &measured)
{
    std::vector<double> got, real;
    for (size_t i = 0; i < shot.clipsAt.size(); ++i) {
        const MeasuredFrame &f = measured.frames[i];
        got.push_back(std::log2(f.exposure * f.whiteShare / std::max({f.gains[0], f.gains[1], f.gains[2]})) -
                      f.unevenness.most());
        constexpr int kRows = 200;
        double lamps = 0.0; // a band's mean over the frame counts as exposure
        for (int y = 0; y < kRows; ++y)
            lamps += std::log2(world.lampsAt(world.frames[i], double(y) / kRows)) / kRows;
        real.push_back(lamps - std::log2(shot.clipsAt[i]));
    }
    double slope = 1.0;
    if (world.isCurved()) { // one power of all
        double x = 0, y = 0, xx = 0, xy = 0;
        const auto n = double(got.size());
        for (size_t i = 0; i < got.size(); ++i) {
            x += got[i] / n;
            y += real[i] / n;
        }
        for (size_t i = 0; i < got.size(); ++i) {
            xx += (got[i] - x) * (got[i] - x);
            xy += (got[i] - x) * (real[i] - y);
        }
        slope = xx > 0.1 ? std::clamp(xy / xx, 0.3, 3.0) : 1.0;
    }
    std::vector<double> off;
    for (size_t i = 0; i < got.size(); ++i)
        off.push_back(slope * got[i] - real[i]);
    std::vector<double> sorted = off;
    std::ranges::sort(sorted);
    const double middle = 0.5 * (sorted[(sorted.size() - 1) / 2] + sorted[sorted.size() / 2]);
    double worst = 0.0;
    for (double v : off)
        worst = std::max(worst, std::abs(v - middle));
    return worst;
}

} // namespace

Verdict judge(const World &world, const std::string &folder, ExecContext &ctx)
{
    ExecContext shooting = ctx.child({});
    const ShotWorld shot = shoot(world, folder, shooting);
    Sources sources{{}, std::make_shared<StageCache>(size_t(2) << 30)};
    sources.keepFrames = true;
    for (const std::string &path : shot.paths)
        sources.frames.push_back(loadFrame(path));
    const Recipe recipe;
    Verdict out;
    const auto start = std::chrono::steady_clock::now();
    ExecContext analysing = ctx.child({}), merging = ctx.child({});
    const Measured measured = analyse(sources, recipe, analysing);
    const Matrix3 to709 = rgbToRgb(kRec2020, kRec709);
    Image<float> got = test::converted(*sceneOf(RenderPlan(sources, measured, recipe), {}, merging), to709);
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();

    out.curveTaken = isTaken(measured.response, ResponseChoice::Automatic);
    if (world.isCurved()) {
        out.curveError = curveError(world, out.curveTaken ? measured.response : Response());
        out.profileError = curveError(world, Response());
    }
    out.exposureError = worstExposure(world, shot, measured);
    const Bracket bracket = bracketOf(sources, measured, recipe);
    MeasuredSet known;
    known.frames = measured.frames;
    known.light = measured.light;
    known.defects = measured.defects;
    known.defectsOf = measured.defectsOf;
    MeasuredSet truth = toldTruth(world, shot, known);
    const auto reference = size_t(bracket.frames[bracket.reference].given - 1);
    for (MeasuredFrame &f : truth.frames) { // against the reference's white balance
        const Vector3 own = world.frames[reference].gains;
        for (size_t c = 0; c < 3; ++c)
            f.gains[c] /= own[c];
    }
    for (MeasuredFrame &f : truth.frames)
        f.exposure *= std::max({f.gains[0], f.gains[1], f.gains[2]});
    ExecContext telling = ctx.child({}), second = ctx.child({});
    Recipe fixed = recipe;
    fixed.frames.reference = bracket.frames[bracket.reference].frame->id;
    Sources again = sources;
    again.cache = std::make_shared<StageCache>(size_t(2) << 30);
    const Measured told = analyseWith(again, fixed, std::move(truth), telling);
    const Image<float> best = test::converted(*sceneOf(RenderPlan(again, told, fixed), {}, second), to709);

    ExecContext masking = ctx.child({});
    const std::vector<Image<float>> states = statesSeenBy(world, shot, reference, masking);
    const Image<uint8_t> mask = stillMask(states, reference);
    Image<float> seen(shot.seen[reference].shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < seen.height(); ++y)
            for (int x = 0; x < seen.width(); ++x)
                seen.row(c, y)[x] =
                    float(double(shot.seen[reference].row(c, y)[x]) * world.frames[reference].gains[size_t(c)]);
    const bool anyPower = world.isCurved() || world.marks == Marks::Absent;
    double still = 0.0;
    for (int y = 0; y < mask.height(); ++y)
        for (int x = 0; x < mask.width(); ++x)
            still += mask.row(0, y)[x] != 0;
    constexpr double kFifth = 0.2;
    if (still > kFifth * double(mask.shape().pixels()))
        for (const BracketFrame &f : bracket.frames)
            out.leftOut += !f.used;
    const auto powerOf = [&](const Image<float> &image) {
        return anyPower ? commonPower(image.view(), seen.view(), mask.view()) : 1.0;
    };
    out.score = scoreOf(got, seen, mask, powerOf(got));
    out.loss = scoreOf(best, seen, mask, powerOf(best)) - out.score;
    if (world.hasLowPlateau()) {
        Sources white = sources;
        white.cache = std::make_shared<StageCache>(size_t(2) << 30);
        const Measured right = withWhite(measured, world.linearShare());
        Recipe plain = recipe; // where the smallest difference may decide for another frame, or place
        plain.align.local = AlignMode::Off;
        plain.movement.mode = MovementMode::Off;
        const auto merged = [&](const Sources &from, const Measured &by, const Recipe &as) {
            ExecContext own = ctx.child({});
            return test::converted(*sceneOf(RenderPlan(from, by, as), {}, own), to709);
        };
        out.lights = lightsWithin(got, merged(white, right, recipe));
        out.plainLights = lightsWithin(merged(sources, measured, plain), merged(white, right, plain));
    }
    if (world.flicker > 0.0 || world.whiteDiffers) {
        ExecContext third = ctx.child({});
        out.borders = bordersOff(*mergedOf(RenderPlan(sources, measured, recipe), 1, third), got, seen, mask);
        out.bordersTold = bordersOff(*mergedOf(RenderPlan(again, told, fixed), 1, third), best, seen, mask);
    }
    if (world.isHandHeld() && sources.frames.size() >= 7) {
        Sources three{{}, std::make_shared<StageCache>(size_t(2) << 30)};
        three.keepFrames = true;
        const size_t all = sources.frames.size();
        std::set<size_t> chosen{all / 6, reference, all - 1 - all / 6};
        for (size_t i = 0; i < all && chosen.size() < 3; ++i)
            chosen.insert(i);
        for (size_t i : chosen)
            three.frames.push_back(sources.frames[i]);
        ExecContext looking = ctx.child({}), third = ctx.child({});
        const Measured few = analyse(three, fixed, looking);
        const Image<float> less = test::converted(*sceneOf(RenderPlan(three, few, fixed), {}, third), to709);
        out.overThree = out.score - scoreOf(less, seen, mask, powerOf(less));
    }
    for (const std::string &path : shot.paths)
        std::filesystem::remove(path);
    return out;
}

} // namespace yolk::worlds
