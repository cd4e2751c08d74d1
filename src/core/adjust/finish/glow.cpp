#include "adjust/finish/glow.h"

#include "adjust/finish/survey_images.h"
#include "base/vectorise.h"
#include "image/soft_map.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr float kMostGlow = 0.12f * 0.01f, kMostMist = 0.4f * 0.01f;

YOLK_MULTIVERSION
void spreadRow(const float *in, const float *soft, const float *veil, const float *glow, const float *mist, int width,
               float *out)
{
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `out` may be `in`, and overlaps nothing else
        const float k = kMostGlow * glow[x], m = kMostMist * mist[x];
        out[x] = in[x] + k * (soft[x] - in[x]) + m * (veil[x] - in[x]);
    }
}

/// Planes 0 to 2: what glows; 3: the veil.
class SpreadLight : public Adjustment {
public:
    SpreadLight(Parameter glow, Parameter mist, std::shared_ptr<const SoftMap> light)
        : glow_(std::move(glow)), mist_(std::move(mist)), light_(std::move(light))
    {
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const int width = out.width();
        std::vector<float> soft(static_cast<size_t>(width)), veil(soft.size()), glow, mist;
        SoftMap::Rows light = light_->rows(grid, width);
        for (int y = 0; y < out.height(); ++y) {
            light.read(3, y, veil.data());
            const float *const amount = glow_.row(grid, y, width, glow), *const thick = mist_.row(grid, y, width, mist);
            for (int c = 0; c < 3; ++c) {
                light.read(c, y, soft.data());
                spreadRow(in.row(c, y), soft.data(), veil.data(), amount, thick, width, out.row(c, y));
            }
        }
    }

private:
    Parameter glow_, mist_;
    std::shared_ptr<const SoftMap> light_;
};

class GlowKernel : public Adjustment {
public:
    explicit GlowKernel(const Varied<GlowSettings> &s)
        : glow_(s[&GlowSettings::amount]), mist_(s[&GlowSettings::mist]), size_(s.settings().size / 100.0)
    {
    }
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        return std::make_shared<SpreadLight>(
            glow_, mist_, survey.seen<SoftMap>("glow", size_, [&] { return spread(survey); }));
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    SoftMap spread(const Survey &survey) const
    {
        constexpr double kSmallest = 0.03, kLargest = 0.3, kVeil = 0.2; // sigmas: of the longer side
        const double widest = kSmallest * std::pow(kLargest / kSmallest, size_);
        const int width = survey.scene.width(), height = survey.scene.height();
        Image<float> light(width, height, 4);
        for (const double share : {1.0, 1.0 / 3.0, 1.0 / 9.0, 1.0 / 27.0}) {
            const Image<float> part = blurred(survey.scene, share * widest);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < height; ++y)
                    std::transform(part.row(c, y), part.row(c, y) + width, light.row(c, y), light.row(c, y),
                                   [](float a, float b) { return a / 4.0f + b; });
        }
        const Image<float> wide = blurred(stopsOf(survey.scene).view(), kVeil);
        for (int y = 0; y < height; ++y)
            std::transform(wide.row(0, y), wide.row(0, y) + width, light.row(3, y),
                           [](float stop) { return std::exp2(stop); });
        return {std::move(light), survey.width, survey.height};
    }

    Parameter glow_, mist_;
    double size_;
};

} // namespace

AdjustmentPtr Glow::make(const Varied<Settings> &settings)
{
    if (settings[&Settings::amount].is(0.0) && settings[&Settings::mist].is(0.0))
        return nullptr;
    return std::make_shared<GlowKernel>(settings);
}

} // namespace yolk
