// Our merge against OpenCV's on the same decoded pixels, both with two threads; its cost by size and count; its memory.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "colour/transfer.h"
#include "frames/frame.h"
#include "merge/radiance_merge.h"

#include <opencv2/core.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>

extern char **environ;

namespace yolk::bench {
namespace {

constexpr int kThreads = 2;

struct Size {
    const char *name;
    int frames, width, height;
    std::string key() const { return std::to_string(frames) + "x" + name; }
};

/// A bracket as both sides take it.
struct Decoded {
    std::vector<Image<uint16_t>> codes;
    std::vector<Exposure> exposures;
    std::vector<cv::Mat> eightBit;
    std::vector<float> times;
};

Decoded decode(const Size &size, const std::string &folder, ExecContext &ctx)
{
    Decoded out;
    for (const std::string &path : largeBracket(folder, size.frames, size.width, size.height)) {
        const FramePtr frame = loadFrame(path);
        out.codes.push_back(decodeFrame(*frame, 1, ctx));
        out.eightBit.push_back(eightBitPixels(path, ctx));
        out.times.push_back(float(*frame->metadata.exposureSeconds));
    }
    for (size_t i = 0; i < out.codes.size(); ++i)
        out.exposures.push_back(
            {out.codes[i].view(), double(out.times[i] / out.times[out.times.size() / 2]), defaultNoise(8, 100), 1.0});
    return out;
}

cv::Mat srgbResponse()
{
    cv::Mat out(256, 1, CV_32FC3);
    for (int i = 0; i < 256; ++i)
        out.at<cv::Vec3f>(i) = cv::Vec3f::all(float(std::max(1e-5, decodeSrgb(i / 255.0))));
    return out;
}

void against(const Size &size, Report &report, const std::string &folder, ExecContext &ctx)
{
    const Decoded set = decode(size, folder, ctx);
    const cv::Mat response = srgbResponse();
    const bool large = size.frames * double(size.width) * size.height > 1e8; // minutes in each run
    cv::Mat out;
    const double ours = medianSeconds(5, [&] { mergeRadiance(set.exposures, {1, 1, 1}, ctx); });
    const double debevec = medianSeconds(
        large ? 1 : 3, [&] { cv::createMergeDebevec()->process(set.eightBit, out, set.times, response); });
    const double robertson = medianSeconds(
        large ? 1 : 3, [&] { cv::createMergeRobertson()->process(set.eightBit, out, set.times, response); });
    report.add("merge.seconds." + size.key(), ours, "ours, with variance and shares");
    report.add("merge.seconds_opencv_debevec." + size.key(), debevec, "theirs");
    report.add("merge.time_ratio_opencv_debevec." + size.key(), ours / debevec,
               large ? "ours over theirs" : "ours over theirs, at most 0.10");
    report.add("merge.time_ratio_opencv_robertson." + size.key(), ours / robertson, "ours over theirs");
    if (!large) // of more frames it holds more pyramids than there is memory
        report.add("merge.time_ratio_opencv_mertens." + size.key(),
                   ours / medianSeconds(1, [&] { cv::createMergeMertens()->process(set.eightBit, out); }),
                   "ours over theirs, which gives a picture, no radiance");
}

/// Time per pixel and frame for several sizes and counts, of frames that are made without files.
void growth(Report &report, ExecContext &ctx)
{
    double least = INFINITY, most = 0.0;
    for (const auto &[name, width, height] :
         {std::tuple("6mp", 3000, 2000), std::tuple("24mp", 6000, 4000), std::tuple("45mp", 8192, 5464)})
        for (int frames : {3, 5, 9}) {
            std::vector<Image<uint16_t>> codes;
            std::vector<Exposure> exposures;
            for (int i = 0; i < frames; ++i) {
                const double e = std::exp2(2 * i);
                codes.emplace_back(width, height, 3);
                for (int c = 0; c < 3; ++c)
                    for (int y = 0; y < height; ++y)
                        for (int x = 0; x < width; ++x)
                            codes.back().row(c, y)[x] =
                                codeOfLinear(std::min(1.0, e * double((x * 7 + y * 13) % 1021 + 1) * 1e-4));
                exposures.push_back({codes.back().view(), e, {}, 1.0});
            }
            const double seconds = medianSeconds(3, [&] { mergeRadiance(exposures, {1, 1, 1}, ctx); });
            const double nanoseconds = seconds * 1e9 / (double(width) * height * frames);
            report.add("merge.ns_per_pixel_and_frame." + std::to_string(frames) + "x" + name, nanoseconds, "");
            least = std::min(least, nanoseconds);
            most = std::max(most, nanoseconds);
        }
    report.add("merge.growth", most / least, "the dearest over the cheapest of these: near 1 when cost is linear");
}

/// Files to a saved EXR by the command line, in a process of its own.
void endToEnd(const Size &size, Report &report, const std::string &folder, const char *goal)
{
    const std::string program = folder + "/../bin/yolk-cli", output = folder + "/end-to-end.exr";
    std::vector<std::string> words{program, "merge"};
    for (const std::string &path : largeBracket(folder, size.frames, size.width, size.height))
        words.push_back(path);
    words.insert(words.end(), {"-o", output, "--set", "radiance.compression=none"});
    std::vector<char *> arguments;
    for (std::string &word : words)
        arguments.push_back(word.data());
    arguments.push_back(nullptr);
    rusage usage{};
    const double seconds = medianSeconds(1, [&] {
        pid_t child = 0;
        int status = 1;
        if (posix_spawn(&child, program.c_str(), nullptr, nullptr, arguments.data(), environ) != 0 ||
            wait4(child, &status, 0, &usage) != child || status != 0)
            usage.ru_maxrss = 0;
    });
    std::filesystem::remove(output);
    const double gib = usage.ru_maxrss > 0 ? double(usage.ru_maxrss) / (1 << 20) : NAN; // failed: no number
    report.add("merge.peak_gib." + size.key(), gib, goal);
    report.add("merge.end_to_end_s." + size.key(), seconds, "files to an EXR, uncompressed");
}

} // namespace

void benchMerge(Report &report, const std::string &folder)
{
    ThreadRunner runner(kThreads);
    ExecContext ctx(runner);
    cv::setNumThreads(kThreads);
    const Size small{"24mp", 3, 6000, 4000};
    endToEnd(small, report, folder, "peak resident memory in GiB, at most 1.5");
    against(small, report, folder, ctx);
}

void benchLargeMerge(Report &report, const std::string &folder)
{
    ThreadRunner runner(kThreads);
    ExecContext ctx(runner);
    cv::setNumThreads(kThreads);
    const Size many{"24mp", 9, 6000, 4000}, large{"45mp", 9, 8192, 5464};
    endToEnd(large, report, folder, "peak resident memory in GiB, at most 6");
    growth(report, ctx);
    against(many, report, folder, ctx);
    against(large, report, folder, ctx);
}

} // namespace yolk::bench
