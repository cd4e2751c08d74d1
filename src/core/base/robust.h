// Statistics that a few values of another kind do not bend.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <span>
#include <vector>

namespace yolk {

/// From the median of the absolute deviations of normal values to their standard deviation; and a median's standard
/// error over that of a mean.
inline constexpr double kDeviationOfMedian = 1.4826, kErrorOfMedian = 1.2533;

/// The middle one, of an even number the lower of both. Reorders. Shapes: not empty.
template <class T> T medianOf(std::vector<T> &values)
{
    const auto middle = values.begin() + ptrdiff_t((values.size() - 1) / 2);
    std::ranges::nth_element(values, middle);
    return *middle;
}
template <class T> T medianOf(std::vector<T> &&values)
{
    return medianOf(values);
}

/// Standard deviation about `middle` by the median deviation. Shapes: not empty.
inline double deviationAbout(double middle, std::span<const double> values)
{
    std::vector<double> away;
    away.reserve(values.size());
    for (double v : values)
        away.push_back(std::abs(v - middle));
    return kDeviationOfMedian * medianOf(away);
}

/// Weight of a residual in units of the standard deviation, 95 % efficient for normal errors: for the first rounds,
/// while nothing is known, [Huber1964]; then Tukey's, which lets go of outliers altogether.
inline double huberWeight(double r)
{
    constexpr double kBend = 1.345;
    return std::abs(r) > kBend ? kBend / std::abs(r) : 1.0;
}
inline double tukeyWeight(double r)
{
    constexpr double kEnd = 4.685;
    const double inside = 1.0 - (r / kEnd) * (r / kEnd);
    return inside > 0.0 ? inside * inside : 0.0;
}

/// Weights of residuals' sizes, in any unit; returns their standard deviation by the median size, at least `least`.
/// Shapes: not empty; as many weights.
inline double robustWeights(std::span<const double> sizes, bool gently, double least, std::span<double> weights)
{
    std::vector<double> copy(sizes.begin(), sizes.end());
    const double scale = std::max(least, kDeviationOfMedian * medianOf(copy));
    for (size_t i = 0; i < sizes.size(); ++i)
        weights[i] = gently ? huberWeight(sizes[i] / scale) : tukeyWeight(sizes[i] / scale);
    return scale;
}

} // namespace yolk
