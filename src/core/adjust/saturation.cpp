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

} // namespace

AdjustmentPtr Saturation::make(const Varied<Settings> &settings)
{
    return byAmount<&scaleRow>(settings[&Settings::saturation]);
}

} // namespace yolk
