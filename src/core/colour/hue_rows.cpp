#include "colour/hue_rows.h"

#include "base/vectorise.h"

#include <cmath>

namespace yolk {

YOLK_MULTIVERSION
void hueRow(const float *__restrict a, const float *__restrict b, int count, float *__restrict hue)
{
    constexpr float kDegrees = 57.2957795f, kNothing = 1e-20f;
    for (int x = 0; x < count; ++x) {
        const float right = std::abs(a[x]), up = std::abs(b[x]);
        const float most = right > up ? right : up, least = right > up ? up : right;
        const float t = least / (most + kNothing), s = t * t;
        float angle =
            kDegrees * t * (0.9998660f + s * (-0.3302995f + s * (0.1801410f + s * (-0.0851330f + s * 0.0208351f))));
        angle = up > right ? 90.0f - angle : angle;
        angle = a[x] < 0.0f ? 180.0f - angle : angle;
        hue[x] = b[x] < 0.0f ? -angle : angle;
    }
}

} // namespace yolk
