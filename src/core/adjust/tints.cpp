#include "adjust/tints.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"

#include <cmath>
#include <numbers>

namespace yolk {
namespace {

YOLK_INLINE float smoothStep(float t)
{
    t = t > 0.0f ? t : 0.0f;
    t = t < 1.0f ? t : 1.0f;
    return t * t * (3.0f - 2.0f * t);
}

struct Direction {
    float a, b;
};

YOLK_MULTIVERSION
void tintRow(const float *__restrict L, const float *__restrict lights, const float *__restrict darks, int width,
             Direction light, Direction dark, float middle, float *__restrict a, float *__restrict b)
{
    constexpr float kStrongest = 0.1f * 0.01f, kAcross = 0.7f, kBlack = 0.2f, kWhite = 0.1f;
    for (int x = 0; x < width; ++x) {
        const float share = smoothStep((L[x] - middle) * (1.0f / kAcross) + 0.5f);
        const float fade =
            kStrongest * smoothStep(L[x] * (1.0f / kBlack)) * smoothStep((1.0f - L[x]) * (1.0f / kWhite));
        const float up = fade * share * lights[x], down = fade * (1.0f - share) * darks[x];
        a[x] += up * light.a + down * dark.a;
        b[x] += up * light.b + down * dark.b;
    }
}

class TintsKernel : public OklabAdjustment {
public:
    explicit TintsKernel(const Varied<TintSettings> &s)
        : lights_(s[&TintSettings::lights]), darks_(s[&TintSettings::darks]),
          light_(directionOf(s.settings().lightsHue)), dark_(directionOf(s.settings().darksHue)),
          middle_(float(0.55 - 0.35 * s.settings().balance / 100.0))
    {
    }

private:
    static Direction directionOf(double hue)
    {
        const double angle = hue * std::numbers::pi / 180.0;
        return {float(std::cos(angle)), float(std::sin(angle))};
    }
    void change(float *L, float *a, float *b, int width, const PixelGrid &grid, int y) const override
    {
        std::vector<float> lights, darks;
        tintRow(L, lights_.row(grid, y, width, lights), darks_.row(grid, y, width, darks), width, light_, dark_,
                middle_, a, b);
    }
    Parameter lights_, darks_;
    Direction light_, dark_;
    float middle_;
};

} // namespace

AdjustmentPtr Tints::make(const Varied<Settings> &settings)
{
    if (settings[&Settings::lights].is(0.0) && settings[&Settings::darks].is(0.0))
        return nullptr;
    return std::make_shared<TintsKernel>(settings);
}

} // namespace yolk
