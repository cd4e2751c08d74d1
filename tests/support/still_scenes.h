// Scenes in which nothing moves, with their truth: the demo henhouse and the CC0 panoramas of tests/data.
#pragma once

#include "image/image.h"

#include <string>
#include <vector>

namespace yolk::test {

/// A scene, linear Rec. 709, and the light at which the frame of 0 EV clips.
struct StillScene {
    std::string name;
    Image<float> truth;
    double clipsAt = 1.0;
};
std::vector<StillScene> stillScenes();
StillScene panorama(const std::string &name); ///< "forest", ...

/// Plain sRGB and a camera's curve in 8 bit, sRGB in 16 bit, raw.
enum class FrameKind { Srgb, Camera, Sixteen, Raw };

/// Five frames 2 EV apart in `folder`; overwrites those of the scene before.
std::vector<std::string> shootStill(const StillScene &scene, FrameKind kind, const std::string &folder);

} // namespace yolk::test
