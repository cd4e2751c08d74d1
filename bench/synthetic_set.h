// Large brackets with the statistics of photographs, made when they are needed.
#pragma once

#include <string>
#include <vector>

namespace yolk::bench {

/// Writes `count` JPEG frames of 6000 x 4000 pixels, 2 EV apart, into `folder` (the demo scene, repeated and varied, with
/// fresh noise in every pixel) and returns their paths. Frames that are there already are kept.
std::vector<std::string> largeBracket(const std::string &folder, int count);

} // namespace yolk::bench
