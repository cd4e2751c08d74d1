#include "image/lanczos.h"

#include <cmath>
#include <numbers>

namespace yolk {

const std::vector<float> &lanczosKernel()
{
    static const auto table = [] {
        const auto sinc = [](double x) {
            return std::abs(x) < 1e-9 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
        };
        std::vector<float> out(8 * (kLanczosPhases + 1), 0.0f);
        for (int p = 0; p <= kLanczosPhases; ++p) {
            double w[kLanczosTaps], sum = 0.0;
            for (int i = 0; i < kLanczosTaps; ++i) {
                const double x = i - 2 - double(p) / kLanczosPhases;
                w[i] = std::abs(x) < 3.0 ? sinc(x) * sinc(x / 3.0) : 0.0;
                sum += w[i];
            }
            for (int i = 0; i < kLanczosTaps; ++i)
                out[size_t(8 * p + i)] = float(w[i] / sum);
        }
        return out;
    }();
    return table;
}

} // namespace yolk
