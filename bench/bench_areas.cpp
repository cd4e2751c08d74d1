// Things painted over roughly, in unseen worlds.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/painted.h"

#include <algorithm>
#include <cstdio>

namespace yolk::bench {

void benchAreas(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(50);
    std::vector<double> stroke, kept;
    double better = 0.0;
    for (uint64_t i = 0; stroke.size() < count && i < 4 * count; ++i) { // some have nothing to paint over
        const auto painted = worlds::paintedOf(first + i, 1200, 800, ctx);
        if (!painted)
            continue;
        const worlds::PaintedVerdict v = worlds::judgePainted(*painted, ctx);
        if (first < 1000)
            std::printf("  %4d missed by %.0f px: stroke %.3f, kept %.3f%s\n", int(first + i), painted->missedBy,
                        v.stroke, v.kept, v.kept > v.stroke ? "" : "  worse");
        stroke.push_back(v.stroke);
        kept.push_back(v.kept);
        better += v.kept > v.stroke ? 1.0 : 0.0;
    }
    report.add("areas.edges_better", better / std::max(1.0, double(stroke.size())),
               "share of worlds in which keeping to edges meets the thing better than the stroke, at least 0.95");
    report.add("areas.stroke_iou_p50", percentile(stroke, 0.5), "intersection over union of the stroke");
    report.add("areas.kept_iou_p50", percentile(kept, 0.5), "and of what was kept to edges");
    report.add("areas.kept_iou_p10", percentile(kept, 0.1), "");
}

} // namespace yolk::bench
