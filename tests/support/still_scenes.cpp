#include "support/still_scenes.h"

#include "io/radiance_file.h"
#include "simulated_camera.h"

#include <algorithm>
#include <cmath>

namespace yolk::test {
namespace {

const std::vector<double> kEvs{-4, -2, 0, 2, 4};
constexpr double kShoulder = 0.25; // of the camera's curve, as in the demo set

StillScene sceneFrom(const std::string &name, const std::string &path)
{
    StillScene out{name, std::move(readExr(path).rgb), 1.0};
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

} // namespace

StillScene panorama(const std::string &name)
{
    return sceneFrom(name, YOLK_SOURCE_DIR "/tests/data/panoramas/" + name + ".exr");
}

std::vector<StillScene> stillScenes()
{
    std::vector<StillScene> out;
    out.push_back(sceneFrom("henhouse", YOLK_SOURCE_DIR "/demo/truth/still.exr"));
    for (const char *name : {"apartment", "forest", "hall", "night", "sunset", "workshop"})
        out.push_back(panorama(name));
    return out;
}

std::vector<std::string> shootStill(const StillScene &scene, FrameKind kind, const std::string &folder)
{
    std::vector<std::string> paths;
    for (size_t i = 0; i < kEvs.size(); ++i) {
        demo::Shot shot;
        shot.clipsAt = scene.clipsAt * std::exp2(-kEvs[i]);
        shot.exposureSeconds = std::exp2(kEvs[i]) / 32.0;
        shot.seed = 500 + i;
        const std::string path = folder + "/quality-" + std::to_string(i) +
                                 (kind == FrameKind::Raw       ? ".dng"
                                  : kind == FrameKind::Sixteen ? ".tif"
                                                               : ".jpg");
        if (kind == FrameKind::Raw)
            demo::writeDng(path, demo::exposeMosaic(scene.truth.view(), shot).view(), shot);
        else
            demo::writeFrame(path, demo::expose(scene.truth.view(), shot).view(), shot,
                             kind == FrameKind::Sixteen ? demo::FrameFile::Tiff : demo::FrameFile::Jpeg,
                             kind == FrameKind::Camera ? kShoulder : 0.0);
        paths.push_back(path);
    }
    return paths;
}

} // namespace yolk::test
