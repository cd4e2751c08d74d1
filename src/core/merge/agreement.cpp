#include "merge/agreement.h"

#include "base/robust.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

double middleOf(std::vector<float> &values)
{
    return values.empty() ? 0.0 : double(medianOf(values));
}

} // namespace

std::vector<Agreement> agreementOf(std::span<const Exposure> exposures, const Merged &merged, int step)
{
    const Shape shape = merged.radiance.shape();
    if (step < 1 || merged.shares.planes() != int(exposures.size()))
        throw ArgumentError("agreement: the exposures are not those of the merge");
    std::vector<Agreement> out(exposures.size());
    for (size_t i = 0; i < exposures.size(); ++i) {
        const Exposure &e = exposures[i];
        if (e.pixels.shape() != shape)
            throw ArgumentError("agreement: the exposures are not those of the merge");
        const double clean = e.noise.levelOfSnr(10.0);
        std::vector<float> ratios, sigmas;
        double shares = 0.0;
        long long held = 0;
        for (int y = 0; y < shape.height; y += step)
            for (int x = 0; x < shape.width; x += step) {
                if (merged.clipped.row(0, y)[x] != 0)
                    continue;
                const uint8_t share = merged.shares.row(int(i), y)[x];
                shares += share / 255.0;
                ++held;
                if (share == 0)
                    continue;
                const double z = double(linearOfCode(e.pixels.row(1, y)[x])); // green stands for all
                const double expected = double(merged.radiance.row(1, y)[x]) * e.exposure;
                sigmas.push_back(float(std::abs(z - expected) / std::sqrt(e.noise.variance(expected))));
                if (z > clean && expected > clean)
                    ratios.push_back(float(std::log2(z / expected)));
            }
        constexpr double kMedianOfNormal = 0.6745; // of |x|, sigma 1
        out[i] = {held > 0 ? shares / double(held) : 0.0, middleOf(ratios), middleOf(sigmas) / kMedianOfNormal};
    }
    return out;
}

} // namespace yolk
