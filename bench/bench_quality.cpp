// How near the merge comes to the truth, beside OpenCV's two merges of the same 8-bit frames.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "io/radiance_file.h"
#include "render/render.h"
#include "simulated_camera.h"
#include "support/pu21.h"
#include "support/still_scenes.h"

#include <opencv2/core.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <filesystem>

namespace yolk::bench {

using test::FrameKind;
using test::StillScene;

namespace {

/// What a user gets: everything measured from the files, everything at its default.
double ours(const std::vector<std::string> &paths, const StillScene &scene, ExecContext &ctx)
{
    Sources sources{{}, std::make_shared<StageCache>(size_t(2) << 30)};
    for (const std::string &path : paths)
        sources.frames.push_back(loadFrame(path));
    const Measured measured = analyse(sources, {}, ctx);
    const PicturePtr got = sceneOf(RenderPlan(sources, measured, {}), {}, ctx);
    return test::pu21Psnr(test::converted(*got, rgbToRgb(kRec2020, kRec709)).view(), scene.truth.view());
}

/// The best that OpenCV's merge makes of the frames: given sRGB as the response, or with either of its own
/// calibrations.
template <class Merge>
double theirs(Merge &merge, const std::vector<cv::Mat> &frames, const std::vector<float> &times,
              const StillScene &scene)
{
    std::vector<cv::Mat> responses(3);
    responses[0].create(256, 1, CV_32FC3);
    for (int i = 0; i < 256; ++i)
        responses[0].at<cv::Vec3f>(i) = cv::Vec3f::all(float(std::max(1e-5, decodeSrgb(i / 255.0))));
    cv::createCalibrateDebevec()->process(frames, responses[1], times);
    cv::createCalibrateRobertson()->process(frames, responses[2], times);
    double best = -INFINITY;
    for (const cv::Mat &response : responses) {
        cv::Mat out;
        merge.process(frames, out, times, response);
        Image<float> rgb(out.cols, out.rows, 3);
        for (int y = 0; y < out.rows; ++y)
            for (int x = 0; x < out.cols; ++x)
                for (int c = 0; c < 3; ++c) {
                    const float v = out.at<cv::Vec3f>(y, x)[c];
                    rgb.row(c, y)[x] = std::isfinite(v) ? v : 0.0f;
                }
        best = std::max(best, test::pu21Psnr(rgb.view(), scene.truth.view()));
    }
    return best;
}

} // namespace

void benchQuality(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    std::filesystem::create_directories(folder);
    double least = INFINITY;
    std::printf("PU21-PSNR in dB against the truth; OpenCV's with the response that suits it best\n"
                "%-11s | %8s %8s %9s | %8s %8s %9s | %8s %8s\n",
                "scene", "sRGB 8", "Debevec", "Robertson", "camera 8", "Debevec", "Robertson", "16 bit", "raw");
    for (const StillScene &scene : test::stillScenes()) {
        std::printf("%-11s |", scene.name.c_str());
        for (FrameKind kind : {FrameKind::Srgb, FrameKind::Camera}) {
            const std::vector<std::string> paths = test::shootStill(scene, kind, folder);
            std::vector<cv::Mat> frames;
            std::vector<float> times;
            for (const std::string &path : paths) {
                frames.push_back(eightBitPixels(path, ctx));
                times.push_back(float(*loadFrame(path)->metadata.exposureSeconds));
            }
            const double own = ours(paths, scene, ctx);
            const double debevec = theirs(*cv::createMergeDebevec(), frames, times, scene);
            const double robertson = theirs(*cv::createMergeRobertson(), frames, times, scene);
            std::printf(" %8.2f %8.2f %9.2f |", own, debevec, robertson);
            least = std::min(least, own - std::max(debevec, robertson));
        }
        for (FrameKind kind : {FrameKind::Sixteen, FrameKind::Raw})
            std::printf(" %8.2f", ours(test::shootStill(scene, kind, folder), scene, ctx));
        std::printf("\n");
        std::fflush(stdout);
    }
    report.add("merge.pu21_gain_db_min", least,
               "ours minus the better OpenCV merge of the same 8-bit frames, worst case");
}

} // namespace yolk::bench
