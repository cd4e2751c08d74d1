// A set as the window has it: loaded, measured, with a cache. Every frame must be whole.
#pragma once

#include "project/opened_set.h"
#include "render/render.h"

#include <string>
#include <vector>

namespace yolk::bench {

OpenedSet openSet(const std::vector<std::string> &paths, ExecContext &ctx);

} // namespace yolk::bench
