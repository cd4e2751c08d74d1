// Things that move, in unseen worlds: whole, and from the frame that was asked for.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/whole_things.h"

#include <algorithm>
#include <cstdio>
#include <numeric>

namespace yolk::bench {

namespace {

using worlds::KeeperChoice;
using worlds::WholeVerdict;

void addFigures(Report &report, const std::string &which, const std::vector<WholeVerdict> &all)
{
    std::vector<double> whole, noise, gain;
    double held = 0.0, obeyed = 0.0, withoutParts = 0.0, beaten = 0.0;
    for (const WholeVerdict &v : all) {
        whole.push_back(v.whole);
        noise.push_back(v.noise);
        gain.push_back(v.score - v.single);
        withoutParts += v.parts == 0;
        beaten += v.score < v.single;
        held += v.obeyed.has_value();
        obeyed += v.obeyed.value_or(0.0) >= 0.98;
    }
    const double count = std::max(1.0, double(all.size()));
    report.add("whole." + which + ".p10", percentile(whole, 0.1),
               "share of what moves that is as the state said to stand there, at least 0.99");
    report.add("whole." + which + ".min", percentile(whole, 0.0), "the same, at least 0.97");
    report.add("whole." + which + ".median", percentile(whole, 0.5), "the same");
    report.add("whole." + which + ".no_parts", withoutParts / count,
               "share of the worlds in which no thing is shown in part, at least 0.95");
    report.add("whole." + which + ".noise_median", percentile(noise, 0.5),
               "over the best frame that shows it, at most 2");
    report.add("whole." + which + ".gain_db_mean", std::accumulate(gain.begin(), gain.end(), 0.0) / count,
               "over the keeper alone, at least 4");
    report.add("whole." + which + ".beaten", beaten / count, "share of the worlds below the keeper alone, at most 0");
    if (held > 0.0)
        report.add("whole." + which + ".obeyed", obeyed / held,
                   "share of the worlds in which 0.98 of what the keeper holds shows its state");
}

/// Movers, and no curve or exposure to be found.
bool isKnownExactly(const worlds::World &world)
{
    return world.hasMovers() && !world.isCurved() && world.marks != worlds::Marks::Absent && !world.whiteDiffers &&
           world.flicker <= 0.0;
}

} // namespace

void benchWhole(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(200);
    const bool single = first + count <= 1000; // what is shown one by one has been looked at
    std::vector<WholeVerdict> automatic, byHand;
    // Every other world with a keeper of one's own.
    for (uint64_t seed = first; automatic.size() + byHand.size() < count && seed < first + 12 * count; ++seed) {
        if (single && seed >= first + count)
            break;
        const worlds::World world = worlds::worldOf(seed);
        if (!isKnownExactly(world))
            continue;
        const bool chosen = (automatic.size() + byHand.size()) % 2 == 1;
        const WholeVerdict v =
            worlds::judgeWhole(world, chosen ? KeeperChoice::ByHand : KeeperChoice::Automatic, folder, ctx);
        (chosen ? byHand : automatic).push_back(v);
        if (single) {
            std::printf("%4llu %s: whole %.4f, %d of %d in parts, obeyed %.4f, noise %.2f, %.2f dB, alone %.2f | %s\n",
                        static_cast<unsigned long long>(seed), chosen ? "by hand" : "automatic", v.whole, v.parts,
                        v.things, v.obeyed.value_or(1.0), v.noise, v.score, v.single, world.words().c_str());
            std::fflush(stdout);
        }
    }
    // The same worlds at four times the pixels, every tenth of them: larger than a first picture.
    std::vector<double> same;
    for (uint64_t seed = first; same.size() < std::max<size_t>(1, count / 10) && seed < first + 12 * count; ++seed) {
        if (single && seed >= first + count)
            break;
        const worlds::World world = worlds::worldOf(seed, 2400, 1600);
        if (!isKnownExactly(world))
            continue;
        same.push_back(worlds::sameAsFirstPicture(world, folder, ctx));
        if (single) {
            std::printf("%4llu first picture: %.4f | %s\n", static_cast<unsigned long long>(seed), same.back(),
                        world.words().c_str());
            std::fflush(stdout);
        }
    }
    if (!same.empty()) {
        report.add("whole.first_picture.median", percentile(same, 0.5),
                   "share of the moved pixels on which the full merge has the same frame, at least 0.99");
        report.add("whole.first_picture.min", percentile(same, 0.0), "the same");
    }
    if (!automatic.empty())
        addFigures(report, "automatic", automatic);
    if (!byHand.empty())
        addFigures(report, "by_hand", byHand);
}

} // namespace yolk::bench
