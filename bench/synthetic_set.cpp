#include "synthetic_set.h"

#include "frames/frame.h"
#include "image/image.h"
#include "io/radiance_file.h"
#include "simulated_camera.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <numbers>

namespace yolk::bench {
namespace {

/// The truth mirrored into a grid, each cell a little brighter or darker.
Image<float> largeScene(int width, int height)
{
    const RadianceFile truth = readExr(YOLK_SOURCE_DIR "/demo/truth/still.exr");
    const int w = truth.rgb.width(), h = truth.rgb.height();
    Image<float> out(width, height, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const int column = x / w, line = y / h;
                const int u = column % 2 ? w - 1 - x % w : x % w, v = line % 2 ? h - 1 - y % h : y % h;
                out.row(c, y)[x] = truth.rgb.row(c, v)[u] * (0.8f + 0.1f * float((column + line) % 4));
            }
    return out;
}

/// The scene as a hand holds the camera: shifted and turned, between pixels bilinear, past the edge the edge repeats.
Image<float> heldByHand(const Image<float> &scene, double right, double down, double degrees)
{
    Image<float> out(scene.shape());
    const double angle = degrees * std::numbers::pi / 180.0, c = std::cos(angle), s = std::sin(angle);
    const double cx = scene.width() / 2.0, cy = scene.height() / 2.0;
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            const double dx = x - cx, dy = y - cy;
            const double u = std::clamp(cx + c * dx - s * dy + right, 0.0, scene.width() - 1.001);
            const double v = std::clamp(cy + s * dx + c * dy + down, 0.0, scene.height() - 1.001);
            const int i = int(u), j = int(v);
            const auto fu = float(u - i), fv = float(v - j);
            for (int p = 0; p < 3; ++p) {
                const float *above = scene.row(p, j) + i, *below = scene.row(p, j + 1) + i;
                out.row(p, y)[x] = std::lerp(std::lerp(above[0], above[1], fu), std::lerp(below[0], below[1], fu), fv);
            }
        }
    return out;
}

} // namespace

std::vector<std::string> largeBracket(const std::string &folder, int count, int width, int height, Camera camera)
{
    std::filesystem::create_directories(folder);
    std::vector<std::string> paths;
    Image<float> scene;
    for (int i = 0; i < count; ++i) {
        paths.push_back(folder + (camera == Camera::Held ? "/held-" : "/large-") + std::to_string(width) + "-" +
                        std::to_string(count) + "-" + std::to_string(i + 1) + ".jpg");
        if (std::filesystem::exists(paths.back()))
            continue;
        if (scene.shape().empty())
            scene = largeScene(width, height);
        const double ev = 2.0 * (i - count / 2);
        demo::Shot shot;
        shot.clipsAt = 1.5 * std::exp2(-ev);
        shot.exposureSeconds = std::exp2(ev) / 32.0;
        shot.seed = uint64_t(100 + i);
        const Image<float> held =
            camera == Camera::Held && i > 0 ? heldByHand(scene, 11.3 * i, -7.6 * i, 0.15 * i) : Image<float>();
        demo::writeFrame(paths.back(), demo::expose(held.shape().empty() ? scene.view() : held.view(), shot).view(),
                         shot, demo::FrameFile::Jpeg);
    }
    return paths;
}

cv::Mat eightBitPixels(const std::string &path, ExecContext &ctx)
{
    const FramePtr frame = loadFrame(path);
    cv::Mat out(frame->height, frame->width, CV_8UC3);
    frame->codec->readRows(
        path, 1, {}, [&](int y, const CodedRow &row) { std::copy(row.eight.begin(), row.eight.end(), out.ptr(y)); },
        ctx);
    return out;
}

} // namespace yolk::bench
