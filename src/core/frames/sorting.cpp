#include "frames/sorting.h"

#include "frames/read_each.h"

#include <algorithm>
#include <array>
#include <numeric>

namespace yolk {

std::span<const std::string_view> frameSuffixes()
{
    static constexpr std::array<std::string_view, 38> kSuffixes{
        ".jpg", ".jpeg", ".tif", ".tiff", ".png", ".heic", ".heif", ".hif", ".avif", ".jxl", ".exr", ".hdr", ".pic",
        ".dng", ".3fr",  ".arw", ".cr2",  ".cr3", ".dcr",  ".erf",  ".iiq", ".kdc",  ".mos", ".mrw", ".nef", ".nrw",
        ".orf", ".pef",  ".raf", ".raw",  ".rw2", ".rwl",  ".sr2",  ".srf", ".srw",  ".x3f", ".mef", ".fff"};
    return kSuffixes;
}

std::vector<std::vector<size_t>> inGroupsOf(size_t count, std::span<const FrameFacts> frames)
{
    std::vector<size_t> order(frames.size());
    std::iota(order.begin(), order.end(), size_t(0));
    std::ranges::stable_sort(
        order, [&](size_t a, size_t b) { return frames[a].time.value_or(0.0) < frames[b].time.value_or(0.0); });
    std::vector<std::vector<size_t>> out;
    for (size_t i = 0; i < order.size(); ++i) {
        if (i % count == 0)
            out.emplace_back();
        out.back().push_back(order[i]);
    }
    return out;
}

SortedFrames sortIntoSets(std::span<const std::string> paths, int group, ExecContext &ctx)
{
    SortedFrames out;
    auto facts = readEach<std::optional<FrameFacts>>(paths, factsOf, out.problems, ctx);
    for (size_t i = 0; i < paths.size(); ++i) {
        if (!facts[i])
            continue;
        out.paths.push_back(paths[i]);
        out.facts.push_back(std::move(*facts[i]));
    }
    out.sets = group > 0 ? inGroupsOf(size_t(group), out.facts) : groupFrames(out.facts);
    return out;
}

} // namespace yolk
