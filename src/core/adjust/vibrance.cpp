#include "adjust/vibrance.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"

#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void scaleChromaRow(const float *__restrict amount, int width, float *__restrict a, float *__restrict b)
{
    constexpr float kSpared = 0.5f * 0.155f, kPercent = 0.01f;
    constexpr float kSkinA = 0.642788f, kSkinB = 0.766044f; // cosine and sine of 50 degrees
    constexpr float kFar = 0.766044f, kNear = 0.939693f;    // cosines of 40 and 20 degrees
    constexpr float kLess = 0.7f, kNothing = 1e-12f;
    for (int x = 0; x < width; ++x) {
        const float square = a[x] * a[x] + b[x] * b[x];
        const float near = (kSkinA * a[x] + kSkinB * b[x]) / std::sqrt(square + kNothing);
        float skin = (near - kFar) * (1.0f / (kNear - kFar));
        skin = skin > 0.0f ? skin : 0.0f;
        skin = skin < 1.0f ? skin : 1.0f;
        skin = skin * skin * (3.0f - 2.0f * skin);
        const float spared = square * (1.0f / (kSpared * kSpared));
        const float gain = 1.0f + kPercent * amount[x] * (1.0f - kLess * skin) / (1.0f + spared);
        a[x] *= gain;
        b[x] *= gain;
    }
}

} // namespace

AdjustmentPtr Vibrance::make(const Varied<Settings> &settings)
{
    return byAmount<&scaleChromaRow>(settings[&Settings::vibrance]);
}

} // namespace yolk
