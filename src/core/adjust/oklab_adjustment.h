// An adjustment of colours, pixel by pixel in Oklab.
#pragma once

#include "adjust/adjustment.h"

#include <algorithm>

namespace yolk {

class OklabAdjustment : public Adjustment {
public:
    bool isInOklab() const final { return true; }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const final
    {
        for (int y = 0; y < out.height(); ++y) {
            for (int p = 0; p < 3; ++p)
                if (in.row(p, y) != out.row(p, y))
                    std::copy_n(in.row(p, y), in.width(), out.row(p, y));
            change(out.row(0, y), out.row(1, y), out.row(2, y), out.width(), grid, y);
        }
    }

protected:
    /// Row `y` of the grid, in place.
    virtual void change(float *L, float *a, float *b, int width, const PixelGrid &grid, int y) const = 0;
};

/// One that has a single amount, a value for each pixel, and changes a and b by it: kChange(amount, width, a, b).
template <auto kChange> class OklabByAmount : public OklabAdjustment {
public:
    explicit OklabByAmount(Parameter amount) : amount_(std::move(amount)) {}

private:
    void change(float *, float *a, float *b, int width, const PixelGrid &grid, int y) const override
    {
        std::vector<float> amount;
        kChange(amount_.row(grid, y, width, amount), width, a, b);
    }
    Parameter amount_;
};

/// Null where the amount is 0.
template <auto kChange> AdjustmentPtr byAmount(const Parameter &amount)
{
    return amount.is(0.0) ? nullptr : std::make_shared<OklabByAmount<kChange>>(amount);
}

} // namespace yolk
