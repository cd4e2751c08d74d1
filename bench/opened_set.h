// A set as the window has it: loaded, measured, with a cache.
#pragma once

#include "render/render.h"

#include <string>
#include <vector>

namespace yolk::bench {

struct OpenedSet {
    Sources sources;
    Measured measured;
};
OpenedSet openSet(const std::vector<std::string> &paths, ExecContext &ctx);

} // namespace yolk::bench
