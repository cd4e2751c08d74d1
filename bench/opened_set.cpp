#include "opened_set.h"

namespace yolk::bench {

OpenedSet openSet(const std::vector<std::string> &paths, ExecContext &ctx)
{
    OpenedSet out;
    out.sources.cache = std::make_shared<StageCache>(size_t(3) << 30);
    out.sources.keepFrames = true;
    for (const std::string &path : paths)
        out.sources.frames.push_back(loadFrame(path));
    ExecContext own = ctx.child({});
    out.measured = analyse(out.sources, {}, own);
    return out;
}

} // namespace yolk::bench
