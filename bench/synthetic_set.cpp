#include "synthetic_set.h"

#include "frames/frame.h"
#include "image/image.h"
#include "io/radiance_file.h"
#include "simulated_camera.h"

#include <cmath>
#include <cstdio>
#include <filesystem>

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

} // namespace

std::vector<std::string> largeBracket(const std::string &folder, int count, int width, int height)
{
    std::filesystem::create_directories(folder);
    std::vector<std::string> paths;
    Image<float> scene;
    for (int i = 0; i < count; ++i) {
        paths.push_back(folder + "/large-" + std::to_string(width) + "-" + std::to_string(count) + "-" +
                        std::to_string(i + 1) + ".jpg");
        if (std::filesystem::exists(paths.back()))
            continue;
        if (scene.shape().empty())
            scene = largeScene(width, height);
        const double ev = 2.0 * (i - count / 2);
        demo::Shot shot;
        shot.clipsAt = 1.5 * std::exp2(-ev);
        shot.exposureSeconds = std::exp2(ev) / 32.0;
        shot.seed = uint64_t(100 + i);
        demo::writeFrame(paths.back(), demo::expose(scene.view(), shot).view(), shot, demo::FrameFile::Jpeg);
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
