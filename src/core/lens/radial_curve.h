// What changes with the distance from the middle of the frame.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <ranges>

namespace yolk {

/// A polynomial of the distance r from the middle, 1 at the corners.
struct RadialCurve {
    static constexpr size_t kTerms = 7;
    std::array<double, kTerms> terms{}; ///< of r^0, r^1, ..

    bool operator==(const RadialCurve &) const = default;
    bool isZero() const
    {
        return std::ranges::all_of(terms, [](double t) { return t == 0.0; });
    }
    double at(double r) const
    {
        double sum = 0.0;
        for (const double term : terms | std::views::reverse)
            sum = sum * r + term;
        return sum;
    }
    double slopeAt(double r) const
    {
        double sum = 0.0;
        for (size_t k = kTerms; k-- > 1;)
            sum = sum * r + double(k) * terms[k];
        return sum;
    }
};

} // namespace yolk
