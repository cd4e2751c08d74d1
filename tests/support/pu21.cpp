#include "support/pu21.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk::test {
namespace {

constexpr double kLeast = 0.005, kMost = 10000.0; // cd/m2

std::vector<double> luminances(ImageView<const float> rgb)
{
    std::vector<double> out;
    out.reserve(rgb.shape().pixels());
    for (int y = 0; y < rgb.height(); ++y)
        for (int x = 0; x < rgb.width(); ++x)
            out.push_back(0.2126 * double(rgb.row(0, y)[x]) + 0.7152 * double(rgb.row(1, y)[x]) +
                          0.0722 * double(rgb.row(2, y)[x]));
    return out;
}

double quantile(std::vector<double> values, double share)
{
    const auto at = values.begin() + ptrdiff_t(share * double(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

} // namespace

double pu21(double luminance)
{
    constexpr double p[7] = {0.353487901,   0.3734658629, 8.277049286e-05, 0.9062562627,
                             0.09150303166, 0.9099517204, 596.3148142};
    const double y = std::pow(std::clamp(luminance, kLeast, kMost), p[3]);
    return std::max(0.0, p[6] * (std::pow((p[0] + p[1] * y) / (1.0 + p[2] * y), p[4]) - p[5]));
}

double pu21Psnr(ImageView<const float> got, ImageView<const float> truth)
{
    if (got.shape() != truth.shape() || got.planes() != 3)
        throw ArgumentError("pu21Psnr: both must be RGB of the same size");
    const std::vector<double> a = luminances(got), b = luminances(truth);
    const double toUnits = 1000.0 / quantile(b, 0.995);
    std::vector<double> ratios;
    for (size_t i = 0; i < a.size(); ++i)
        if (a[i] > 0.0 && b[i] * toUnits > kLeast && b[i] * toUnits < kMost)
            ratios.push_back(std::log(b[i] / a[i]));
    const double scale = ratios.empty() ? 1.0 : std::exp(quantile(std::move(ratios), 0.5));
    double squares = 0.0;
    for (size_t i = 0; i < a.size(); ++i) {
        const double difference = pu21(a[i] * scale * toUnits) - pu21(b[i] * toUnits);
        squares += difference * difference;
    }
    return 20.0 * std::log10(pu21(kMost) / std::sqrt(squares / double(a.size())));
}

Image<float> converted(const Image<float> &rgb, const Matrix3 &matrix)
{
    Image<float> out(rgb.shape());
    for (int y = 0; y < rgb.height(); ++y)
        for (int x = 0; x < rgb.width(); ++x) {
            const Vector3 v = matrix * Vector3{rgb.row(0, y)[x], rgb.row(1, y)[x], rgb.row(2, y)[x]};
            for (int c = 0; c < 3; ++c)
                out.row(c, y)[x] = float(v[size_t(c)]);
        }
    return out;
}

} // namespace yolk::test
