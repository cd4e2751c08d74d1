#include "adjust/saturation.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"

namespace yolk {
namespace {

YOLK_MULTIVERSION
void scaleRow(const float *__restrict amount, int width, float *__restrict a, float *__restrict b)
{
    constexpr float kPercent = 0.01f;
    for (int x = 0; x < width; ++x) {
        const float gain = 1.0f + kPercent * amount[x];
        a[x] *= gain;
        b[x] *= gain;
    }
}

class SaturationKernel : public OklabAdjustment {
public:
    explicit SaturationKernel(Parameter amount) : amount_(std::move(amount)) {}

private:
    void change(float *, float *a, float *b, int width, const PixelGrid &grid, int y) const override
    {
        std::vector<float> amount;
        scaleRow(amount_.row(grid, y, width, amount), width, a, b);
    }
    Parameter amount_;
};

} // namespace

AdjustmentPtr Saturation::make(const Varied<Settings> &settings)
{
    const Parameter amount = settings[&Settings::saturation];
    return amount.is(0.0) ? nullptr : std::make_shared<SaturationKernel>(amount);
}

} // namespace yolk
