#include "tone/plateaus.h"

#include "tone/local_layers.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// How much of the scene lies near a light; never nothing.
double nearness(const std::vector<double> &quantiles, double light)
{
    constexpr double kReach = 0.5, kLeast = 0.01;
    double sum = kLeast;
    for (double q : quantiles)
        sum += std::exp(-(light - q) * (light - q) / (2.0 * kReach * kReach)) / double(quantiles.size());
    return sum;
}

/// The rising sequence that lies nearest in the sum of weighted squares: pool adjacent violators.
void makeRise(std::vector<double> &values, const std::vector<double> &weights)
{
    struct Pool {
        double value, weight;
        size_t count;
    };
    std::vector<Pool> pools;
    for (size_t i = 0; i < values.size(); ++i) {
        pools.push_back({values[i], weights[i], 1});
        while (pools.size() > 1 && pools[pools.size() - 2].value > pools.back().value) {
            const Pool last = pools.back();
            pools.pop_back();
            Pool &into = pools.back();
            into.value = (into.value * into.weight + last.value * last.weight) / (into.weight + last.weight);
            into.weight += last.weight;
            into.count += last.count;
        }
    }
    size_t at = 0;
    for (const Pool &pool : pools)
        for (size_t i = 0; i < pool.count; ++i)
            values[at++] = pool.value;
}

} // namespace

Plateaus::Plateaus(std::vector<double> quantiles) : quantiles_(std::move(quantiles))
{
    constexpr double kFirst = -32.0, kStep = 1.0 / 8; // it bends over more than a stop
    constexpr int kSteps = 64 * 8;
    for (int i = 0; i <= kSteps; ++i) {
        const double light = kFirst + i * kStep;
        lights_.push_back(light);
        details_.push_back(detailOfPicture(quantiles_, light));
        bases_.push_back(light - details_.back()); // rises: detail never grows faster than light
    }
}

double Plateaus::at(const std::vector<double> &values, double base) const
{
    const auto next =
        std::clamp<ptrdiff_t>(std::ranges::upper_bound(bases_, base) - bases_.begin(), 1, ptrdiff_t(bases_.size()) - 1);
    const size_t b = size_t(next), a = b - 1;
    const double share = std::clamp((base - bases_[a]) / std::max(1e-12, bases_[b] - bases_[a]), 0.0, 1.0);
    return std::lerp(values[a], values[b], share);
}

std::vector<double> Plateaus::baseCurve(const StepTable::Steps &steps,
                                        const std::function<double(double light)> &curve) const
{
    std::vector<double> out, weights;
    constexpr int kSameWeight = 32; // steps that share one, as it costs more than all else
    for (int i = 0; i < steps.count; ++i) {
        const double base = steps.at(i), light = lightOf(base);
        out.push_back(curve(light) - detailOf(base));
        weights.push_back(i % kSameWeight == 0 ? nearness(quantiles_, light) : weights.back());
    }
    makeRise(out, weights);
    return out;
}

} // namespace yolk
