#include "adjust/warm_cool.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"
#include "colour/oklab.h"
#include "colour/white_point.h"

#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void pushRow(const float *__restrict amount, int width, float alongA, float alongB, float *__restrict a,
             float *__restrict b)
{
    constexpr float kStrong = 0.155f, kMost = 0.6f * 0.01f;
    for (int x = 0; x < width; ++x) {
        const float t = a[x] * alongA + b[x] * alongB;
        const float push = kMost * amount[x] * t / (1.0f + t * t * (1.0f / (kStrong * kStrong)));
        a[x] += push * alongA;
        b[x] += push * alongB;
    }
}

/// Towards warm light, of length 1.
struct Along {
    float a, b;
};
const Along &warmth()
{
    static const Along along = [] {
        const OklabSpace space(kRec2020);
        const auto labOf = [&](double kelvin) {
            return space.fromRgb(inverse(rgbToXyz(kRec2020)) * xyzOf(chromaticityOf({kelvin, 0.0})));
        };
        const Oklab warm = labOf(4000.0), cool = labOf(10000.0);
        const double length = std::hypot(warm.a - cool.a, warm.b - cool.b);
        return Along{float((warm.a - cool.a) / length), float((warm.b - cool.b) / length)};
    }();
    return along;
}

void pushAlong(const float *amount, int width, float *a, float *b)
{
    pushRow(amount, width, warmth().a, warmth().b, a, b);
}

} // namespace

AdjustmentPtr WarmCool::make(const Varied<Settings> &settings)
{
    return byAmount<&pushAlong>(settings[&Settings::apart]);
}

} // namespace yolk
