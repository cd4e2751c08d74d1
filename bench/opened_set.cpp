#include "opened_set.h"

namespace yolk::bench {

OpenedSet openSet(const std::vector<std::string> &paths, ExecContext &ctx)
{
    constexpr size_t kCacheBytes = size_t(3) << 30;
    ExecContext own = ctx.child({});
    OpenedSet out = yolk::openSet(paths, {}, kCacheBytes, own);
    if (!out.problems.empty())
        throw out.problems.front();
    out.sources.keepFrames = true;
    return out;
}

} // namespace yolk::bench
