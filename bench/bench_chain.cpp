// Files to a picture: the whole of our chain against the same steps in OpenCV.
#include "base/memory.h"
#include "benchmarks.h"
#include "opened_set.h"
#include "render/render.h"
#include "synthetic_set.h"

#include <opencv2/imgcodecs.hpp>
#include <opencv2/photo.hpp>

namespace yolk::bench {
namespace {

void ours(const std::vector<std::string> &paths, ExecContext &ctx)
{
    ExecContext opening = ctx.child({}), rendering = ctx.child({});
    const OpenedSet set = openSet(paths, opening);
    Recipe recipe;
    recipe.tone = automaticTone(set.measured.tone);
    render(RenderPlan(set.sources, set.measured, recipe), {}, rendering);
}

void theirs(const std::vector<std::string> &paths)
{
    std::vector<cv::Mat> frames;
    for (const std::string &path : paths)
        frames.push_back(cv::imread(path));
    cv::createAlignMTB()->process(frames, frames);
    cv::Mat radiance, picture;
    cv::createMergeDebevec()->process(frames, radiance, std::vector<float>{1.0f, 4.0f, 16.0f});
    cv::createTonemapDrago()->process(radiance, picture);
}

} // namespace

void benchChain(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    cv::setNumThreads(2);
    ExecContext ctx(runner);
    const std::vector<std::string> paths = largeBracket(folder, 3, 6000, 4000, Camera::Held);
    constexpr int kRuns = 3;
    const double library = medianSeconds(kRuns, [&] { theirs(paths); });
    const double unset = medianSeconds(kRuns, [&] { ours(paths, ctx); });
    keepFreedMemory(); // what our programs do, and a program with OpenCV does not unless somebody thinks of it
    const double chain = medianSeconds(kRuns, [&] { ours(paths, ctx); });
    const double librarySet = medianSeconds(kRuns, [&] { theirs(paths); });
    report.add("chain.seconds.3x24mp", chain, "files to the finished picture");
    report.add("chain.seconds_opencv.3x24mp", library, "decode, AlignMTB, MergeDebevec, Drago");
    // What a rival would sign: both sides with the same settings of memory, the worse of the two.
    report.add("chain.time_ratio_opencv.3x24mp", std::max(unset / library, chain / librarySet),
               "ours over theirs, both with the same memory settings, the worse of both, at most 0.35");
    report.add("chain.time_ratio_opencv.3x24mp.no_memory_kept", unset / library, "neither keeps freed memory");
    report.add("chain.time_ratio_opencv.3x24mp.memory_kept", chain / librarySet, "both keep it");
    report.add("chain.time_ratio_opencv.3x24mp.as_they_come", chain / library, "ours keeps it, theirs does not");
}

} // namespace yolk::bench
