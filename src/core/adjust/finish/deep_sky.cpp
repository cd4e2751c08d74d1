#include "adjust/finish/deep_sky.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"

#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void deepenRow(const float *__restrict amount, int width, float *__restrict L, float *__restrict a, float *__restrict b)
{
    constexpr float kSkyA = -0.422618f, kSkyB = -0.906308f; // cosine and sine of 245 degrees
    constexpr float kChord = 0.714424f;                     // 2 - 2 cos(50 degrees)
    constexpr float kGrey = 0.03f * 0.03f * 0.03f * 0.03f, kNothing = 1e-12f;
    constexpr float kDark = 0.3f, kLight = 0.6f, kMost = 0.35f * 0.01f;
    for (int x = 0; x < width; ++x) {
        const float square = a[x] * a[x] + b[x] * b[x];
        const float along = (kSkyA * a[x] + kSkyB * b[x]) / std::sqrt(square + kNothing);
        float near = 1.0f - (2.0f - 2.0f * along) * (1.0f / kChord);
        near = near > 0.0f ? near : 0.0f;
        const float coloured = square * square / (square * square + kGrey);
        float bright = (L[x] - kDark) * (1.0f / (kLight - kDark));
        bright = bright > 0.0f ? bright : 0.0f;
        bright = bright < 1.0f ? bright : 1.0f;
        const float share = near * near * near * coloured * bright * bright * (3.0f - 2.0f * bright);
        const float gain = 1.0f - kMost * amount[x] * share;
        L[x] *= gain;
        a[x] *= gain;
        b[x] *= gain;
    }
}

class DeepSkyKernel : public OklabAdjustment {
public:
    explicit DeepSkyKernel(Parameter amount) : amount_(std::move(amount)) {}

private:
    void change(float *L, float *a, float *b, int width, const PixelGrid &grid, int y) const override
    {
        std::vector<float> amount;
        deepenRow(amount_.row(grid, y, width, amount), width, L, a, b);
    }
    Parameter amount_;
};

} // namespace

AdjustmentPtr DeepSky::make(const Varied<Settings> &settings)
{
    const Parameter amount = settings[&Settings::deep];
    return amount.is(0.0) ? nullptr : std::make_shared<DeepSkyKernel>(amount);
}

} // namespace yolk
