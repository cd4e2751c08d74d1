#include "adjust/local_hue.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"

#include <numbers>

namespace yolk {
namespace {

/// Sine and cosine by their series, which up to 60 degrees are within 3e-6.
YOLK_MULTIVERSION
void turnRow(const float *__restrict degrees, int width, float *__restrict a, float *__restrict b)
{
    constexpr float kPerDegree = std::numbers::pi_v<float> / 180.0f;
    for (int x = 0; x < width; ++x) {
        const float t = degrees[x] * kPerDegree, q = t * t;
        const float sine = t * (1.0f - q / 6.0f * (1.0f - q / 20.0f * (1.0f - q / 42.0f * (1.0f - q / 72.0f))));
        const float cosine = 1.0f - q / 2.0f * (1.0f - q / 12.0f * (1.0f - q / 30.0f * (1.0f - q / 56.0f)));
        const float turned = a[x] * cosine - b[x] * sine;
        b[x] = a[x] * sine + b[x] * cosine;
        a[x] = turned;
    }
}

} // namespace

AdjustmentPtr LocalHue::make(const Varied<Settings> &settings)
{
    return byAmount<&turnRow>(settings[&Settings::turn]);
}

} // namespace yolk
