// Transforms between hand-held exposures against the truth, and their cost beside OpenCV's AlignMTB.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "align/align_frames.h"
#include "colour/transfer.h"
#include "frames/frame.h"
#include "support/handheld.h"
#include "support/synthetic.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <cstdio>
#include <filesystem>

namespace yolk::bench {
namespace {

constexpr int kThreads = 2, kWidth = 1800, kHeight = 1200, kFrames = 5, kTrials = 100;

enum class Kind { Linear, Jpeg, Bayer };

/// One bracket under known motions; the middle frame is the reference and does not move.
struct Trial {
    std::vector<Transform> truth;
    std::vector<double> exposures;
    std::vector<Image<uint16_t>> codes;
    std::vector<cv::Mat> eightBit;
};

/// Decoded frames to transforms.
std::vector<FrameAlignment> aligned(const std::vector<FrameToAlign> &frames, size_t reference, ExecContext &ctx)
{
    const AlignOptions options;
    std::vector<Guide> guides;
    ExecContext own = ctx.child({});
    for (const FrameToAlign &frame : frames)
        guides.push_back(guideOf(frame, options.finestPixels, own));
    return alignFrames(guides, reference, options, own);
}

Trial shoot(unsigned seed, double step, Kind kind, const std::string &folder, ExecContext &ctx)
{
    std::mt19937 random(seed);
    const Image<float> scene = test::wideScene(kWidth, kHeight, seed, ctx);
    const double clipsAt = test::lightUnder(scene, 0.95); // one pixel in twenty clips in the middle frame
    Trial out;
    for (int i = 0; i < kFrames; ++i) {
        const double ev = step * (i - kFrames / 2);
        std::uniform_real_distribution<double> corner(0.0, 0.05 * kWidth);
        out.truth.push_back(i == kFrames / 2 ? Transform{}
                                             : test::randomMotion(random, kWidth, kHeight, 3.0, corner(random)));
        const Image<float> seen = test::seenUnder(scene, out.truth.back(), kWidth, kHeight, ctx);
        demo::Shot shot;
        shot.clipsAt = clipsAt * std::exp2(-ev);
        shot.exposureSeconds = std::exp2(ev) / 32.0;
        shot.seed = seed * 100 + unsigned(i);
        out.exposures.push_back(std::exp2(ev));
        const std::string path = folder + "/trial-" + std::to_string(i) + (kind == Kind::Jpeg ? ".jpg" : ".dng");
        switch (kind) {
        case Kind::Linear:
            out.codes.push_back(test::codesOf(demo::expose(seen.view(), shot).view()));
            break;
        case Kind::Jpeg:
            demo::writeFrame(path, demo::expose(seen.view(), shot).view(), shot, demo::FrameFile::Jpeg);
            out.codes.push_back(decodeFrame(*loadFrame(path), 1, ctx));
            break;
        case Kind::Bayer:
            demo::writeDng(path, demo::exposeMosaic(seen.view(), shot).view(), shot);
            out.codes.push_back(decodeFrame(*loadFrame(path), 1, ctx, {Demosaic::Balanced, {}}));
            break;
        }
        cv::Mat eight(kHeight, kWidth, CV_8U);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                eight.at<uint8_t>(y, x) = uint8_t(std::lround(
                    255.0 * encodeSrgb(std::clamp(double(linearOfCode(out.codes.back().row(1, y)[x])), 0.0, 1.0))));
        out.eightBit.push_back(eight);
    }
    return out;
}

struct Errors {
    std::vector<double> ours, theirs;
    int failures = 0;
    double seconds = 0.0;
};

Errors run(int trials, double step, Kind kind, const std::string &folder, ExecContext &ctx)
{
    Errors out;
    for (int seed = 1; seed <= trials; ++seed) {
        const Trial trial = shoot(unsigned(seed), step, kind, folder, ctx);
        std::vector<FrameToAlign> frames;
        for (size_t i = 0; i < trial.codes.size(); ++i)
            frames.push_back({trial.codes[i].view(), trial.exposures[i],
                              kind == Kind::Jpeg ? defaultNoise(8, 100) : defaultRawNoise(14, 100)});
        std::vector<FrameAlignment> found;
        out.seconds += medianSeconds(1, [&] { found = aligned(frames, kFrames / 2, ctx); }) / trials;
        const auto mtb = cv::createAlignMTB(7);
        for (int i = 0; i < kFrames; ++i) {
            if (i == kFrames / 2)
                continue;
            const auto errors =
                test::gridErrors(found[size_t(i)].toReference.transform, trial.truth[size_t(i)], kWidth, kHeight);
            constexpr double kLost = 5.0; // pixels: no transform that anybody could use
            if (const bool lost = std::ranges::max(errors) > kLost; lost || !found[size_t(i)].found) {
                ++out.failures;
                std::fprintf(stderr, "trial %d, frame %d: %s, off by up to %.2f pixels\n", seed, i + 1,
                             found[size_t(i)].found ? "found" : "left out", std::ranges::max(errors));
            }
            out.ours.insert(out.ours.end(), errors.begin(), errors.end());
            const cv::Point shift = mtb->calculateShift(trial.eightBit[kFrames / 2], trial.eightBit[size_t(i)]);
            const Transform theirs{Matrix3{{1, 0, -double(shift.x), 0, 1, -double(shift.y), 0, 0, 1}}};
            const auto other = test::gridErrors(theirs, trial.truth[size_t(i)], kWidth, kHeight);
            out.theirs.insert(out.theirs.end(), other.begin(), other.end());
        }
    }
    return out;
}

/// 3 x 24 megapixels, cut so that they lie some pixels apart: all of OpenCV's alignment beside all of ours.
void cost(Report &report, const std::string &folder)
{
    ThreadRunner runner(kThreads);
    ExecContext ctx(runner);
    cv::setNumThreads(kThreads);
    std::filesystem::create_directories(folder);
    constexpr int kSide = 40;
    constexpr int kAt[3][2] = {{0, 0}, {17, 9}, {31, 26}};
    std::vector<Image<uint16_t>> codes;
    std::vector<FrameToAlign> frames;
    std::vector<cv::Mat> eightBit;
    int i = 0;
    for (const std::string &path : largeBracket(folder, 3, 6000, 4000)) {
        const int x = kAt[i][0], y = kAt[i][1], width = 6000 - kSide, height = 4000 - kSide;
        codes.push_back(decodeFrame(*loadFrame(path), 1, ctx));
        frames.push_back(
            {codes.back().view().crop({x, y, x + width, y + height}), std::exp2(2.0 * (i - 1)), defaultNoise(8, 100)});
        eightBit.push_back(eightBitPixels(path, ctx)(cv::Rect(x, y, width, height)).clone());
        ++i;
    }
    std::vector<FrameAlignment> found;
    const double ours = medianSeconds(3, [&] { found = aligned(frames, 1, ctx); });
    const auto mtb = cv::createAlignMTB(); // its transforms alone, as ours; it looks at grey pictures
    std::vector<cv::Mat> grey(eightBit.size());
    for (size_t k = 0; k < eightBit.size(); ++k)
        cv::cvtColor(eightBit[k], grey[k], cv::COLOR_RGB2GRAY);
    const double theirs = medianSeconds(3, [&] {
        for (size_t k : {size_t(0), size_t(2)})
            mtb->calculateShift(grey[1], grey[k]);
    });
    report.add("align.seconds.3x24mp", ours, "homographies, decoded frames to transforms");
    report.add("align.seconds_opencv_mtb.3x24mp", theirs, "shifts");
    report.add("align.time_ratio_opencv_mtb.3x24mp", ours / theirs, "ours over theirs, goal 0.5");
    double worst = 0.0;
    for (int f : {0, 2}) {
        const Transform truth{
            Matrix3{{1, 0, double(kAt[1][0] - kAt[f][0]), 0, 1, double(kAt[1][1] - kAt[f][1]), 0, 0, 1}}};
        worst = std::max(worst,
                         std::ranges::max(test::gridErrors(found[size_t(f)].toReference.transform, truth, 5960, 3960)));
    }
    report.add("align.worst_px.3x24mp", worst, "of these shifts");
}

void addErrors(Report &report, const std::string &name, double step, Kind kind, const char *goal,
               const std::string &folder)
{
    ThreadRunner runner(kThreads);
    ExecContext ctx(runner);
    cv::setNumThreads(kThreads);
    std::filesystem::create_directories(folder);
    const Errors e = run(kTrials, step, kind, folder, ctx);
    report.add("align.median_px" + name, percentile(e.ours, 0.5), goal);
    report.add("align.p95_px" + name, percentile(e.ours, 0.95), "");
    report.add("align.failures" + name, e.failures, "frames left out or lost, of 400");
    report.add("align.median_px_opencv_mtb" + name, percentile(e.theirs, 0.5), "shift only");
    report.add("align.p95_px_opencv_mtb" + name, percentile(e.theirs, 0.95), "");
    report.add("align.seconds" + name, e.seconds, "five frames");
}

} // namespace

void benchAlign(Report &report, const std::string &folder)
{
    cost(report, folder);
    addErrors(report, "", 2, Kind::Linear, "goal 0.03 and 0.1", folder);
}

void benchAlignFarApart(Report &report, const std::string &folder)
{
    addErrors(report, ".4ev", 4, Kind::Linear, "goal 0.1", folder);
}

void benchAlignJpeg(Report &report, const std::string &folder)
{
    addErrors(report, ".jpeg", 2, Kind::Jpeg, "goal 0.06 and 0.2", folder);
}

void benchAlignBayer(Report &report, const std::string &folder)
{
    addErrors(report, ".bayer", 2, Kind::Bayer, "goal 0.06 and 0.2", folder);
}

} // namespace yolk::bench
