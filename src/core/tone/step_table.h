// A function of light in stops, tabulated, for whole rows.
#pragma once

#include <span>
#include <vector>

namespace yolk {

/// Linear between its steps; what lies beyond counts as the end's.
class StepTable {
public:
    struct Steps {
        float first, perStop;
        int count;
        constexpr double at(int step) const { return double(first) + double(step) / double(perStop); }
    };
    StepTable() = default; ///< of nothing: must not be asked
    template <class Value> StepTable(const Steps &steps, Value &&value) : steps_(steps), values_(size_t(steps.count))
    {
        for (int i = 0; i < steps.count; ++i)
            values_[size_t(i)] = float(value(steps.at(i)));
    }
    /// Between tables of one kind of steps: of `place[x]` the one before it, and the next one for the rest. All within.
    static void lookUpBetween(std::span<const StepTable> tables, const float *place, std::span<const float> stops,
                              float *out);
    /// Of stops plus `shift`; NaN counts as the first. `out` has the length of `stops` and may be the same memory.
    void lookUp(std::span<const float> stops, float shift, float *out) const;

private:
    Steps steps_{};
    std::vector<float> values_;
};

} // namespace yolk
