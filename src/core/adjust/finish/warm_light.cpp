#include "adjust/finish/warm_light.h"

#include "adjust/finish/survey_images.h"
#include "base/quick_math.h"
#include "colour/primaries.h"
#include "image/soft_map.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void warmRow(const float *const *in, const float *share, const float *amount, int width, float *const *out)
{
    constexpr float kRed = 0.4f * 0.01f, kBlue = -0.8f * 0.01f, kNothing = 1e-9f;
    const float *const inR = in[0], *const inG = in[1], *const inB = in[2];
    float *const outR = out[0], *const outG = out[1], *const outB = out[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `out` may be `in`, and overlaps nothing else
        const float k = amount[x] * share[x], r = inR[x], g = inG[x], b = inB[x];
        const float warmR = r * quickExp2(kRed * k), warmB = b * quickExp2(kBlue * k);
        const float green = kLuminance2020[1] * g;
        const float was = kLuminance2020[0] * r + green + kLuminance2020[2] * b,
                    is = kLuminance2020[0] * warmR + green + kLuminance2020[2] * warmB;
        const float gain = was > kNothing && is > kNothing ? was / is : 1.0f;
        outR[x] = warmR * gain;
        outG[x] = g * gain;
        outB[x] = warmB * gain;
    }
}

class WarmedLight : public Adjustment {
public:
    WarmedLight(Parameter warm, std::shared_ptr<const SoftMap> share) : warm_(std::move(warm)), share_(std::move(share)) {}
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const int width = out.width();
        std::vector<float> share(static_cast<size_t>(width)), amount;
        SoftMap::Rows rows = share_->rows(grid, width);
        for (int y = 0; y < out.height(); ++y) {
            rows.read(0, y, share.data());
            const float *const from[3] = {in.row(0, y), in.row(1, y), in.row(2, y)};
            float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
            warmRow(from, share.data(), warm_.row(grid, y, width, amount), width, to);
        }
    }

private:
    Parameter warm_;
    std::shared_ptr<const SoftMap> share_;
};

class WarmLightKernel : public Adjustment {
public:
    explicit WarmLightKernel(Parameter warm) : warm_(std::move(warm)) {}
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        return std::make_shared<WarmedLight>(
            warm_, survey.seen<SoftMap>("warm light", 0.0, [&] { return shareOf(survey); }));
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    static SoftMap shareOf(const Survey &survey)
    {
        constexpr double kAround = 0.06;
        const int width = survey.scene.width(), height = survey.scene.height();
        Image<float> share = blurred(stopsOf(survey.scene).view(), kAround);
        std::vector<float> lights;
        for (int y = 0; y < height; ++y)
            lights.insert(lights.end(), share.row(0, y), share.row(0, y) + width);
        const auto below = [&](double part) {
            const auto at = lights.begin() + ptrdiff_t(part * double(lights.size() - 1));
            std::ranges::nth_element(lights, at);
            return *at;
        };
        const float from = below(0.5), to = below(0.99);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                float &v = share.row(0, y)[x];
                v = to > from ? std::clamp((v - from) / (to - from), 0.0f, 1.0f) : 0.0f;
                v = v * v * (3.0f - 2.0f * v);
            }
        return {std::move(share), survey.width, survey.height};
    }

    Parameter warm_;
};

} // namespace

AdjustmentPtr WarmLight::make(const Varied<Settings> &settings)
{
    const Parameter warm = settings[&Settings::warm];
    return warm.is(0.0) ? nullptr : std::make_shared<WarmLightKernel>(warm);
}

} // namespace yolk
