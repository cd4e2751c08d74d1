// Large brackets with the statistics of photographs, made when they are needed.
#pragma once

#include "base/exec_context.h"

#include <opencv2/core.hpp>

#include <string>
#include <vector>

namespace yolk::bench {

/// Writes `count` JPEG frames 2 EV apart, into `folder` (the demo scene, repeated and varied, with
/// fresh noise in every pixel) and returns their paths. Frames that are there already are kept. Held ones differ by
/// shifts and turns, so that alignment has something to do.
enum class Camera { Fixed, Held };
std::vector<std::string> largeBracket(const std::string &folder, int count, int width = 6000, int height = 4000,
                                      Camera camera = Camera::Fixed);

/// The pixels of an 8-bit file as OpenCV takes them, in the file's order of channels.
cv::Mat eightBitPixels(const std::string &path, ExecContext &ctx);

} // namespace yolk::bench
