// How near the merge comes to the truth, beside OpenCV's two merges of the same 8-bit frames.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "io/radiance_file.h"
#include "render/render.h"
#include "simulated_camera.h"
#include "support/pu21.h"

#include <opencv2/core.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <filesystem>

namespace yolk::bench {
namespace {

const std::vector<double> kEvs{-4, -2, 0, 2, 4};
constexpr double kShoulder = 0.25; // of the camera's curve, as in the demo set

/// A scene, and the light at which the frame of 0 EV clips.
struct Scene {
    std::string name;
    Image<float> truth;
    double clipsAt;
};

Scene sceneFrom(const std::string &name, const std::string &path)
{
    Scene out{name, std::move(readExr(path).rgb), 1.0};
    std::vector<float> green;
    for (int y = 0; y < out.truth.height(); ++y)
        for (int x = 0; x < out.truth.width(); ++x) {
            for (int c = 0; c < 3; ++c) // their compression left some slightly negative
                out.truth.row(c, y)[x] = std::max(0.0f, out.truth.row(c, y)[x]);
            green.push_back(out.truth.row(1, y)[x]);
        }
    std::ranges::sort(green);
    out.clipsAt = double(green[size_t(0.9 * double(green.size()))]);
    return out;
}

std::vector<Scene> scenes()
{
    std::vector<Scene> out;
    out.push_back(sceneFrom("henhouse", YOLK_SOURCE_DIR "/demo/truth/still.exr"));
    for (const char *name : {"apartment", "forest", "hall", "night", "sunset", "workshop"})
        out.push_back(sceneFrom(name, std::string(YOLK_SOURCE_DIR "/tests/data/panoramas/") + name + ".exr"));
    return out;
}

enum class Kind { Srgb, Camera, Sixteen, Raw };

std::vector<std::string> shoot(const Scene &scene, Kind kind, const std::string &folder)
{
    std::vector<std::string> paths;
    for (size_t i = 0; i < kEvs.size(); ++i) {
        demo::Shot shot;
        shot.clipsAt = scene.clipsAt * std::exp2(-kEvs[i]);
        shot.exposureSeconds = std::exp2(kEvs[i]) / 32.0;
        shot.seed = 500 + i;
        const std::string path = folder + "/quality-" + std::to_string(i) +
                                 (kind == Kind::Raw       ? ".dng"
                                  : kind == Kind::Sixteen ? ".tif"
                                                          : ".jpg");
        if (kind == Kind::Raw)
            demo::writeDng(path, demo::exposeMosaic(scene.truth.view(), shot).view(), shot);
        else
            demo::writeFrame(path, demo::expose(scene.truth.view(), shot).view(), shot,
                             kind == Kind::Sixteen ? demo::FrameFile::Tiff : demo::FrameFile::Jpeg,
                             kind == Kind::Camera ? kShoulder : 0.0);
        paths.push_back(path);
    }
    return paths;
}

/// What a user gets: everything measured from the files, everything at its default.
double ours(const std::vector<std::string> &paths, const Scene &scene, ExecContext &ctx)
{
    Sources sources{{}, std::make_shared<StageCache>(size_t(2) << 30)};
    for (const std::string &path : paths)
        sources.frames.push_back(loadFrame(path));
    const Measured measured = analyse(sources, {}, ctx);
    const PicturePtr got = sceneOf(sources, measured, {}, {}, ctx);
    const Matrix3 m = rgbToRgb(kRec2020, kRec709);
    Image<float> rgb(got->shape());
    for (int y = 0; y < rgb.height(); ++y)
        for (int x = 0; x < rgb.width(); ++x) {
            const Vector3 v = m * Vector3{got->row(0, y)[x], got->row(1, y)[x], got->row(2, y)[x]};
            for (int c = 0; c < 3; ++c)
                rgb.row(c, y)[x] = float(v[size_t(c)]);
        }
    return test::pu21Psnr(rgb.view(), scene.truth.view());
}

/// The best that OpenCV's merge makes of the frames: given sRGB as the response, or with either of its own calibrations.
template <class Merge>
double theirs(Merge &merge, const std::vector<cv::Mat> &frames, const std::vector<float> &times, const Scene &scene)
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
    for (const Scene &scene : scenes()) {
        std::printf("%-11s |", scene.name.c_str());
        for (Kind kind : {Kind::Srgb, Kind::Camera}) {
            const std::vector<std::string> paths = shoot(scene, kind, folder);
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
        for (Kind kind : {Kind::Sixteen, Kind::Raw})
            std::printf(" %8.2f", ours(shoot(scene, kind, folder), scene, ctx));
        std::printf("\n");
        std::fflush(stdout);
    }
    report.add("merge.pu21_gain_db_min", least,
               "ours minus the better OpenCV merge of the same 8-bit frames, worst case");
}

} // namespace yolk::bench
