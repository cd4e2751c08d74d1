#include "render/files/output_sharpening.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace yolk {
namespace {

/// The response of a Gaussian at a frequency in cycles a pixel.
double gaussianAt(double frequency, double sigma)
{
    const double w = 2.0 * std::numbers::pi * frequency * sigma;
    return std::exp(-0.5 * w * w);
}

std::vector<float> kernelOf(double sigma)
{
    const int reach = std::max(1, int(std::ceil(3.0 * sigma)));
    std::vector<float> out;
    double sum = 0.0;
    for (int i = -reach; i <= reach; ++i) {
        out.push_back(float(std::exp(-0.5 * i * i / (sigma * sigma))));
        sum += double(out.back());
    }
    for (float &weight : out)
        weight = float(double(weight) / sum);
    return out;
}

} // namespace

SharpeningStrength sharpeningForScreen(double reduction)
{
    constexpr double kSigma = 0.7, kFrequency = 0.25;
    const double x = std::numbers::pi * kFrequency, tent = std::pow(std::sin(x) / x, 2.0);
    const double whole = (1.0 / tent - 1.0) / (1.0 - gaussianAt(kFrequency, kSigma));
    return {kSigma, whole * std::clamp(reduction - 1.0, 0.0, 1.0)};
}

SharpeningStrength sharpeningForPaper(double pixelsPerInch)
{
    constexpr double kSpread = 0.05, kMillimetres = 25.4, kAmount = 1.0;
    return {std::clamp(kSpread / kMillimetres * pixelsPerInch, 0.4, 4.0), kAmount};
}

void sharpenOutput(Image<float> &display, const std::array<double, 3> &luminance, const SharpeningStrength &strength,
                   double top, ExecContext &ctx)
{
    if (strength.isNone())
        return;
    const int width = display.width(), height = display.height();
    Image<float> light(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < width; ++x) {
                double sum = 0.0;
                for (int c = 0; c < 3; ++c)
                    sum += luminance[size_t(c)] * double(display.row(c, y)[x]);
                light.row(0, y)[x] = std::cbrt(float(std::max(sum, 0.0)));
            }
    });
    const std::vector<float> kernel = kernelOf(strength.sigma);
    const int reach = int(kernel.size()) / 2;
    const float amount = float(strength.amount);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<float> column(size_t(width + 2 * reach));
        for (int y = y0; y < y1; ++y) {
            std::ranges::fill(column, 0.0f);
            for (int k = -reach; k <= reach; ++k) {
                const float *row = light.row(0, std::clamp(y + k, 0, height - 1)), weight = kernel[size_t(k + reach)];
                for (int x = 0; x < width; ++x)
                    column[size_t(x + reach)] += weight * row[x];
            }
            std::fill_n(column.begin(), reach, column[size_t(reach)]);
            std::fill_n(column.end() - reach, reach, column[size_t(width + reach - 1)]);
            const float *here = light.row(0, y), *above = light.row(0, std::max(0, y - 1)),
                        *below = light.row(0, std::min(height - 1, y + 1));
            for (int x = 0; x < width; ++x) {
                float blurred = 0.0f;
                for (size_t k = 0; k < kernel.size(); ++k)
                    blurred += kernel[k] * column[size_t(x) + k];
                float low = here[x], high = here[x];
                for (int n = std::max(0, x - 1); n <= std::min(width - 1, x + 1); ++n) {
                    low = std::min({low, above[n], here[n], below[n]});
                    high = std::max({high, above[n], here[n], below[n]});
                }
                const float rim = (high - low) / 8.0f;
                const float sharp =
                    std::clamp(here[x] + amount * (here[x] - blurred), std::max(0.0f, low - rim), high + rim);
                const float root = here[x] > 1e-4f ? sharp / here[x] : 1.0f, gain = root * root * root;
                for (int c = 0; c < 3; ++c)
                    display.row(c, y)[x] = std::min(display.row(c, y)[x] * gain, float(top));
            }
        }
    });
}

} // namespace yolk
