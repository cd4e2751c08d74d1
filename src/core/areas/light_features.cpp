#include "areas/light_features.h"

#include "base/vectorise.h"
#include "colour/primaries.h"

#include <algorithm>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void colourRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, int width, float dark,
               float *__restrict redness, float *__restrict blueness)
{
    for (int x = 0; x < width; ++x) {
        const float y = kLuminance2020[0] * r[x] + kLuminance2020[1] * g[x] + kLuminance2020[2] * b[x];
        const float over = 1.0f / ((y > 0.0f ? y : 0.0f) + dark);
        redness[x] = (r[x] - g[x]) * over;
        blueness[x] = (b[x] - g[x]) * over;
    }
}

} // namespace

void featureRow(const LightRow &light, int width, float dark, float *const features[kFeatures])
{
    std::copy_n(light.ev, width, features[0]);
    colourRow(light.r, light.g, light.b, width, dark, features[1], features[2]);
}

} // namespace yolk
