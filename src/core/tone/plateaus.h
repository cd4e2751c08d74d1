// Large even areas of a scene under the local method: what their base and their detail are.
#pragma once

#include "tone/step_table.h"

#include <functional>
#include <vector>

namespace yolk {

/// What large even areas make of their light, by their base, in stops.
class Plateaus {
public:
    /// From quantiles of the scene's light at equal shares, see detailOfPicture().
    explicit Plateaus(std::vector<double> quantiles);

    double lightOf(double base) const { return at(lights_, base); }
    double detailOf(double base) const { return at(details_, base); }

    /// At each step a value of bases that never falls and, with detailOf() on top, gives large areas what `curve` says
    /// of their light. Where the curve is flatter than detail is long both cannot be: lights that the scene has most of
    /// follow it best.
    /// Source: pool adjacent violators [Barlow1972].
    std::vector<double> baseCurve(const StepTable::Steps &steps,
                                  const std::function<double(double light)> &curve) const;

private:
    double at(const std::vector<double> &values, double base) const;

    std::vector<double> quantiles_, lights_, details_, bases_;
};

} // namespace yolk
