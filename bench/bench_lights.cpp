// Two lights, two clicks: unseen rooms, drawn by the commit's hash.
#include "benchmarks.h"
#include "scenes.h"
#include "worlds/two_lights.h"

namespace yolk::bench {

void benchLights(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const auto [first, count] = worldsAsked(100);
    std::vector<double> least, greys, oneLight, colours, coloursOne;
    for (uint64_t i = 0; i < count; ++i) {
        constexpr int kWidth = 1200, kHeight = 800;
        const worlds::TwoLightsVerdict v = judgeTwoLights(worlds::twoLightsOf(first + i, kWidth, kHeight, ctx), ctx);
        least.push_back(std::min(v.underLamp, v.underDay));
        greys.push_back(v.greys);
        oneLight.push_back(v.oneLight);
        colours.push_back(v.colours);
        coloursOne.push_back(v.coloursOneLight);
    }
    report.add("lights.greys_median", percentile(greys, 0.5),
               "share of neutral pixels within CIEDE2000 3 of neutral, at least 0.9");
    report.add("lights.greys_p10", percentile(greys, 0.1), "the same");
    report.add("lights.greys_under_each_median", percentile(least, 0.5), "the same, under the light that does worse");
    report.add("lights.greys_under_each_p10", percentile(least, 0.1), "the same");
    report.add("lights.greys_one_light_median", percentile(oneLight, 0.5), "with one white balance, of daylight");
    report.add("lights.colours_median", percentile(colours, 0.5), "CIEDE2000 of coloured places, median of a room");
    report.add("lights.colours_p90", percentile(colours, 0.9), "the same");
    report.add("lights.colours_one_light_median", percentile(coloursOne, 0.5), "with one white balance");
}

} // namespace yolk::bench
