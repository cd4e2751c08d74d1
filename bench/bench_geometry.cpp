// Straightening of unseen worlds, and what geometry and areas cost in a file.
#include "benchmarks.h"
#include "opened_set.h"
#include "render/files/output.h"
#include "scenes.h"
#include "synthetic_set.h"
#include "ten_areas.h"
#include "worlds/buildings.h"

#include <QTemporaryDir>

#include <algorithm>
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

void benchExport(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const OpenedSet set = openSet(largeBracket(folder, 3), ctx);
    const QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("picture.tif")).toStdString();
    const Recipe plain = automaticStart(set.measured);
    Recipe all = plain;
    all.geometry.angle = 0.4;
    all.geometry.tilt = 4.0;
    all.geometry.swing = 1.0;
    all.geometry.distortion = 1.5;
    all.geometry.bendAcross = 0.5;
    all.geometry.left = 0.02;
    all.lens.vignetting = 0.5;
    const auto seconds = [&](const Recipe &recipe) {
        return medianSeconds(1, [&] { exportPicture(set.sources, recipe, set.measured, {path}, ctx); });
    };
    seconds(plain); // which merges
    Recipe areas = plain;
    const Frame &frame = *set.sources.frames.front();
    areas.areas.areas = tenAreas(frame.width, frame.height);
    seconds(areas); // which finds the edges
    std::vector<double> without, with, withAreas;
    for (int i = 0; i < 5; ++i) {
        without.push_back(seconds(plain));
        with.push_back(seconds(all));
        withAreas.push_back(seconds(areas));
    }
    report.add("geometry.export_s", percentile(with, 0.5), "24 megapixels to a file, merged before");
    report.add("geometry.export_ratio", percentile(with, 0.5) / percentile(without, 0.5),
               "over the same without geometry, at most 1.3");
    report.add("areas.export_ratio", percentile(withAreas, 0.5) / percentile(without, 0.5),
               "ten areas over the same without, at most 1.5");
}

} // namespace yolk::bench
