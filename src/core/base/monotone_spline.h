// A smooth curve through points that never overshoots them.
#pragma once

#include "base/errors.h"

#include <algorithm>
#include <span>
#include <vector>

namespace yolk {

/// Piecewise cubic: between two points it does not leave their values, so that what rises keeps rising. Beyond the ends
/// it stays at their values. Source: [FritschButland1984], harmonic means of the slopes beside a point; 0 where they
/// differ in sign; the ends take their secants.
class MonotoneSpline {
public:
    /// At least two points, their x rising. Throws ArgumentError.
    MonotoneSpline(std::span<const double> x, std::span<const double> y)
        : x_(x.begin(), x.end()), y_(y.begin(), y.end()), slopes_(x.size())
    {
        if (x_.size() < 2 || y_.size() != x_.size() || !std::ranges::is_sorted(x_, std::less_equal<>()))
            throw ArgumentError("spline: needs two points or more, from left to right");
        const auto secant = [&](size_t i) { return (y_[i + 1] - y_[i]) / (x_[i + 1] - x_[i]); };
        slopes_.front() = secant(0);
        slopes_.back() = secant(x_.size() - 2);
        for (size_t i = 1; i + 1 < x_.size(); ++i) {
            const double before = secant(i - 1), after = secant(i);
            slopes_[i] = before * after > 0.0 ? 2.0 / (1.0 / before + 1.0 / after) : 0.0;
        }
    }
    double operator()(double at) const
    {
        const double x = std::clamp(at, x_.front(), x_.back());
        const size_t i = std::min<size_t>(size_t(std::ranges::upper_bound(x_, x) - x_.begin()), x_.size() - 1) - 1;
        const double h = x_[i + 1] - x_[i], t = (x - x_[i]) / h;
        const double a = y_[i], b = y_[i + 1], da = slopes_[i] * h, db = slopes_[i + 1] * h;
        return a + t * (da + t * (3 * (b - a) - 2 * da - db + t * (2 * (a - b) + da + db)));
    }

private:
    std::vector<double> x_, y_, slopes_;
};

} // namespace yolk
