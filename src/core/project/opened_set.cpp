#include "project/opened_set.h"

#include "frames/read_each.h"
#include "render/analysis/analyse.h"
#include "render/set/stage_cache.h"

#include <algorithm>
#include <iterator>

namespace yolk {

std::vector<FramePtr> loadFrames(std::span<const std::string> paths, std::vector<InputError> &problems,
                                 ExecContext &ctx)
{
    return readEach<FramePtr>(paths, loadFrame, problems, ctx);
}

std::optional<Measured> analyseUsable(Sources &sources, const Recipe &recipe, std::vector<InputError> &problems,
                                      ExecContext &ctx)
{
    while (!sources.frames.empty()) {
        try {
            return analyse(sources, recipe, ctx);
        } catch (const InputError &e) { // a cut file shows only when its pixels are read
            if (std::erase_if(sources.frames, [&](const FramePtr &f) { return f->path == e.file(); }) == 0)
                throw;
            problems.push_back(e);
        }
    }
    return std::nullopt;
}

bool sortAsIn(const Project &project, std::vector<FramePtr> &frames)
{
    std::ranges::stable_sort(
        frames, {}, [&](const FramePtr &f) { return std::ranges::find(project.frames, f->id, &ProjectFrame::id); });
    return std::ranges::equal(project.frames, frames, {}, &ProjectFrame::id, &Frame::id);
}

OpenedSet openSet(std::span<const std::string> paths, const FindWork &findWork, size_t cacheBytes, ExecContext &ctx)
{
    OpenedSet out;
    ExecContext loading = ctx.part(0.0, 0.3), measuring = ctx.part(0.3, 1.0);
    out.sources.cache = std::make_shared<StageCache>(cacheBytes);
    for (FramePtr &frame : loadFrames(paths, out.problems, loading))
        if (frame && std::ranges::none_of(out.sources.frames, [&](const FramePtr &f) { return f->id == frame->id; }))
            out.sources.frames.push_back(std::move(frame));
    if (out.sources.frames.empty())
        throw ArgumentError("none of its frames can be used");
    if (findWork)
        out.work = findWork(out.sources.frames);
    const std::optional<Project> &work = out.work;
    const bool isComplete = work && sortAsIn(*work, out.sources.frames);
    const std::vector<FramePtr> loaded = out.sources.frames;
    std::optional<Measured> measured = isComplete ? work->measured : std::nullopt;
    if (!measured)
        measured = analyseUsable(out.sources, {}, out.problems, measuring);
    if (!measured)
        throw ArgumentError("none of its frames can be used");
    std::ranges::copy_if(loaded, std::back_inserter(out.damaged), [&](const FramePtr &f) {
        return std::ranges::find(out.sources.frames, f) == out.sources.frames.end();
    });
    if (work && work->measured) { // the scale and the tone start of a picture stay what they were
        measured->anchorExposure = work->measured->anchorExposure;
        measured->tone = work->measured->tone;
    }
    out.measured = std::move(*measured);
    out.start = automaticStart(out.measured);
    out.recipe = work ? work->history.current() : out.start;
    return out;
}

} // namespace yolk
