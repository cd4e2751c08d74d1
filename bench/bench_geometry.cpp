// Straightening of unseen worlds, and what geometry costs.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/buildings.h"

#include <cstdio>

namespace yolk::bench {

void benchStraighten(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(200);
    std::vector<double> angle, uprights, level;
    double spoken = 0.0, silent = 0.0, wrongly = 0.0;
    for (uint64_t i = 0; i < count; ++i) {
        const worlds::Buildings world = worlds::buildingsOf(first + i, ctx);
        const worlds::StraightenVerdict v = worlds::judgeStraightening(world, ctx);
        if (first < 1000)
            std::printf("  %4d %s %s angle %.3f, uprights %.3f, level %.3f (roll %.2f, pitch %.2f)\n", int(first + i),
                        world.speaks ? "walls" : "none ", v.found ? "found" : "-    ", v.angle, v.uprights,
                        v.levelAngle, world.truth.angle, world.truth.tilt);
        if (!world.speaks) {
            silent += 1.0;
            wrongly += v.found && v.levelAngle > 0.1 ? 1.0 : 0.0;
            continue;
        }
        spoken += v.found ? 1.0 : 0.0;
        angle.push_back(v.angle);
        uprights.push_back(v.uprights);
        if (world.level)
            level.push_back(v.levelAngle);
    }
    const auto within = [](const std::vector<double> &values, double most) {
        return double(std::ranges::count_if(values, [&](double v) { return v <= most; })) /
               std::max(1.0, double(values.size()));
    };
    report.add("straighten.found", spoken / std::max(1.0, double(angle.size())), "share of worlds with walls");
    report.add("straighten.found_wrongly", wrongly / std::max(1.0, silent),
               "share of worlds without walls where more than 0.1 degrees were done wrongly, 0");
    report.add("straighten.angle_within", within(angle, 0.1), "within 0.1 degrees, at least 0.95");
    report.add("straighten.level_within", within(level, 0.1), "the same of the angle alone, camera level");
    report.add("straighten.uprights_within", within(uprights, 0.15), "worst upright line within 0.15 degrees, 0.95");
    report.add("straighten.angle_p50", percentile(angle, 0.5), "degrees");
    report.add("straighten.angle_p95", percentile(angle, 0.95), "degrees");
    report.add("straighten.uprights_p50", percentile(uprights, 0.5), "degrees");
    report.add("straighten.uprights_p95", percentile(uprights, 0.95), "degrees");
}

} // namespace yolk::bench
