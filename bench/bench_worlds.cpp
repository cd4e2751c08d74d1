// The proving ground: unseen worlds, drawn by the commit's hash. YOLK_WORLDS=FIRST,COUNT looks at single ones below 1000.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/judge.h"

#include <cstdio>
#include <string>

namespace yolk::bench {

using worlds::FileKind;
using worlds::Marks;
using worlds::Verdict;
using worlds::World;

namespace {

struct Seen {
    World world;
    Verdict verdict;
};

double shareOf(const std::vector<double> &values, double most)
{
    double count = 0.0;
    for (double v : values)
        count += v <= most;
    return values.empty() ? 1.0 : count / double(values.size());
}

void addFigures(Report &report, const std::vector<Seen> &all)
{
    std::vector<double> curve, exposure, loss, absentLoss, plateauLights, plateauPlain, borders, bordersTold, overThree;
    double fittedPlain = 0.0, worse = 0.0, leftOut = 0.0, missed = 0.0, lies = 0.0, liesFound = 0.0;
    for (const auto &[world, v] : all) {
        const bool absent = world.marks == Marks::Absent;
        if (!world.isCurved()) {
            fittedPlain += v.curveTaken;
            if (!absent && world.marks != Marks::Lie)
                exposure.push_back(v.exposureError);
        } else if (!absent) {
            curve.push_back(*v.curveError);
            worse += *v.curveError > *v.profileError + 1e-3;
            missed += !v.curveTaken;
        }
        if (world.isRaw() && world.marks == Marks::Lie) {
            lies += 1.0;
            liesFound += v.exposureError < 0.05;
        }
        leftOut += v.leftOut;
        if (v.borders) {
            borders.push_back(*v.borders);
            bordersTold.push_back(*v.bordersTold);
        }
        if (v.overThree)
            overThree.push_back(*v.overThree);
        (absent ? absentLoss : loss).push_back(v.loss);
        if (world.hasLowPlateau()) {
            plateauLights.push_back(v.lights);
            plateauPlain.push_back(v.plainLights);
        }
    }
    const auto most = [](const std::vector<double> &v) { return v.empty() ? 0.0 : percentile(v, 1.0); };
    const auto at = [](const std::vector<double> &v, double share) { return v.empty() ? 0.0 : percentile(v, share); };
    report.add("worlds.count", double(all.size()), "worlds");
    report.add("worlds.plain_fitted", fittedPlain, "raw and plain files for which a response was fitted, at most 0");
    report.add("worlds.curve_rms_within", shareOf(curve, 0.015),
               "curved sets within 1.5 % of full scale, at least 0.95");
    report.add("worlds.curve_rms_p95", at(curve, 0.95), "of full scale");
    report.add("worlds.curve_worse", worse, "curved sets worse than by the profile, at most 0");
    report.add("worlds.curve_missed", missed, "curved sets left at the profile");
    report.add("worlds.exposure_ev_p95", at(exposure, 0.95), "EV, raw and plain files, at most 0.02");
    report.add("worlds.exposure_ev_max", most(exposure), "EV");
    report.add("worlds.left_out", leftOut, "frames left out, at most 0");
    report.add("worlds.loss_db_median", at(loss, 0.5), "under the merge told the truth, at most 0.3");
    report.add("worlds.loss_db_p95", at(loss, 0.95), "dB");
    report.add("worlds.loss_db_max", most(loss), "dB, at most 1");
    report.add("worlds.loss_db_median.absent", at(absentLoss, 0.5), "without metadata");
    report.add("worlds.loss_db_max.absent", most(absentLoss), "without metadata");
    report.add("worlds.loss_over_1_db", 1.0 - shareOf(loss, 1.0), "share of the worlds");
    report.add("worlds.borders_ciede2000_p95", at(borders, 0.95), "flicker and differing white balance, at most 1");
    report.add("worlds.borders_ciede2000_median", at(borders, 0.5), "the same");
    report.add("worlds.borders_told_ciede2000_p95", at(bordersTold, 0.95), "of the merge told the truth");
    report.add("worlds.more_frames_db_min", overThree.empty() ? 0.0 : percentile(overThree, 0.0),
               "seven and more hand-held frames over three of them, at least 0");
    report.add("worlds.more_frames_db_median", at(overThree, 0.5), "the same");
    report.add("worlds.lies_found", lies > 0.0 ? liesFound / lies : 1.0, "whole stops of raw files, 1");
    report.add("worlds.plateau_lights_min", plateauLights.empty() ? 1.0 : percentile(plateauLights, 0.0),
               "share of the brightest tenth that lies where it should, low plateaus, at least 0.99");
    report.add("worlds.plateau_lights_p5", plateauLights.empty() ? 1.0 : percentile(plateauLights, 0.05), "the same");
    report.add("worlds.plateau_plain_min", plateauPlain.empty() ? 1.0 : percentile(plateauPlain, 0.0),
               "the same without local motion and movement, at least 0.99");
    report.add("worlds.plateau_plain_p5", plateauPlain.empty() ? 1.0 : percentile(plateauPlain, 0.05), "the same");
}

} // namespace

void benchWorlds(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(200);
    const bool single = first + count <= 1000; // what is shown one by one has been looked at
    std::vector<Seen> all;
    for (uint64_t i = 0; i < count; ++i) {
        const World world = worlds::worldOf(first + i);
        const Verdict v = worlds::judge(world, folder, ctx);
        if (single) {
            std::printf(
                "%4llu %s\n     %s%s exposures %.3f EV, score %.2f dB, loss %+.2f, lights %.4f%s%s%s, %.1f s\n",
                static_cast<unsigned long long>(world.seed), world.words().c_str(), v.curveTaken ? "curve taken, " : "",
                v.curveError ? ("curve off by " + std::to_string(*v.curveError) + " (profile " +
                                std::to_string(*v.profileError) + "),")
                                   .c_str()
                             : "",
                v.exposureError, v.score, v.loss, v.lights,
                v.leftOut ? (", " + std::to_string(v.leftOut) + " left out").c_str() : "",
                v.borders
                    ? (", borders " + std::to_string(*v.borders) + ", told " + std::to_string(*v.bordersTold)).c_str()
                    : "",
                v.overThree ? (", over three " + std::to_string(*v.overThree)).c_str() : "", v.seconds);
            std::fflush(stdout);
        }
        all.push_back({world, v});
        constexpr size_t kEvery = 20; // an hour is long: what there is so far
        if (!single && all.size() % kEvery == 0 && all.size() < count) {
            std::printf("after %zu of %llu worlds\n", all.size(), static_cast<unsigned long long>(count));
            Report soFar;
            addFigures(soFar, all);
        }
    }
    addFigures(report, all);
}

} // namespace yolk::bench
