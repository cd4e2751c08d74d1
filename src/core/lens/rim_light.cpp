#include "lens/rim_light.h"

#include "base/vectorise.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void gainRow(const float *__restrict gains, int count, float x, float step, float across, float high, float last,
             float *__restrict r, float *__restrict g, float *__restrict b)
{
    for (int i = 0; i < count; ++i) {
        const float from = x + float(i) * step;
        float at = high + across * from * from;
        at = at < last ? at : last;
        const int k = int(at);
        const float gain = gains[k] + (at - float(k)) * (gains[k + 1] - gains[k]);
        r[i] *= gain;
        g[i] *= gain;
        b[i] *= gain;
    }
}

} // namespace

RimLight::RimLight(const RadialCurve &ev, double width, double height) : none_(ev.isZero())
{
    const double corner = 0.25 * (width * width + height * height);
    across_ = width * width / corner * kSteps;
    down_ = height * height / corner * kSteps;
    for (int i = 0; !none_ && i < int(gains_.size()); ++i)
        gains_[size_t(i)] = float(std::exp2(ev.at(std::sqrt(double(i) / kSteps))));
}

void RimLight::apply(float *const rgb[3], int count, double x, double step, double y) const
{
    if (!none_)
        gainRow(gains_.data(), count, float(x - 0.5), float(step), float(across_), float(down_ * (y - 0.5) * (y - 0.5)),
                float(kSteps), rgb[0], rgb[1], rgb[2]);
}

float RimLight::at(double x, double y) const
{
    float one[3] = {1.0f, 1.0f, 1.0f};
    float *const rgb[3] = {one, one + 1, one + 2};
    apply(rgb, 1, x, 0.0, y);
    return one[0];
}

} // namespace yolk
