#include "adjust/finish/noise_reduction.h"

#include "base/quick_math.h"
#include "colour/primaries.h"
#include "denoise/bands.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void mixRow(const float *const *in, float toe, int width, const ThreeRows<float> &out)
{
    const float *const r = in[0], *const g = in[1], *const b = in[2];
    float *const first = out[0], *const second = out[1], *const third = out[2];
    const float least = 0.1f * toe;
    const auto code = [=](float light) {
        const float above = light + toe;
        return quickLog2(above > least ? above : least);
    };
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // what is written overlaps nothing that is read
        const float red = code(r[x]), green = code(g[x]), blue = code(b[x]);
        first[x] = kMix[0][0] * red + kMix[0][1] * green + kMix[0][2] * blue;
        second[x] = kMix[1][0] * red + kMix[1][1] * green + kMix[1][2] * blue;
        third[x] = kMix[2][0] * red + kMix[2][1] * green + kMix[2][2] * blue;
    }
}

YOLK_MULTIVERSION
void unmixRow(const ThreeRows<const float> &mixed, int channel, float toe, int width, float *out)
{
    const float *const first = mixed[0], *const second = mixed[1], *const third = mixed[2];
    const float a = kMix[0][channel], b = kMix[1][channel], c = kMix[2][channel];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) // as above
        out[x] = quickExp2(a * first[x] + b * second[x] + c * third[x]) - toe;
}

/// Variances of light to those of the mixed planes, times the squares of the amounts.
YOLK_MULTIVERSION
void varianceRow(const float *const *light, float *const *variance, const float *brightness, const float *colour,
                 float toe, float share, int width)
{
    const float *const r = light[0], *const g = light[1], *const b = light[2];
    float *const first = variance[0], *const second = variance[1], *const third = variance[2];
    const auto logVariance = [=](float of, float at) {
        constexpr float kPerLn2 = 1.44269504f;
        const float slope = kPerLn2 / ((at > 0.0f ? at : 0.0f) + toe);
        return of * slope * slope * share;
    };
    const auto mixed = [](int m, float red, float green, float blue) {
        return kMix[m][0] * kMix[m][0] * red + kMix[m][1] * kMix[m][1] * green + kMix[m][2] * kMix[m][2] * blue;
    };
    constexpr float kPercent = 0.01f;
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // what is written overlaps nothing that is read elsewhere
        const float red = logVariance(first[x], r[x]), green = logVariance(second[x], g[x]),
                    blue = logVariance(third[x], b[x]);
        const float bright = kPercent * brightness[x], hue = kPercent * colour[x];
        first[x] = bright * bright * mixed(0, red, green, blue);
        second[x] = hue * hue * mixed(1, red, green, blue);
        third[x] = hue * hue * mixed(2, red, green, blue);
    }
}

class ReducedNoise : public Adjustment {
public:
    ReducedNoise(Parameter brightness, Parameter colour, double detail, std::shared_ptr<const NoiseField> noise,
                 float toe)
        : brightness_(std::move(brightness)), colour_(std::move(colour)), noise_(std::move(noise)), toe_(toe)
    {
        constexpr double kBrightness = 1.5, kColour = 2.0, kFinest = 0.7;
        for (size_t m = 0; m < 3; ++m)
            for (size_t band = 0; band < kBands; ++band) {
                double t = (m == 0 ? kBrightness : kColour) * kBandNoise[band] * (band > 0 ? noise_->coarser() : 1.0);
                if (m == 0 && band < 2)
                    t *= 1.0 - kFinest * detail / 100.0;
                thresholds_[m][band] = float(t);
            }
    }
    int context(double scale) const override
    {
        return scale < NoiseReduction::kLeastScale ? 0 : spreadOf(scale) * kBandReachKnown;
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const double scale = grid.scale();
        const int margin = context(scale), wide = in.width(), high = in.height();
        if (margin == 0) {
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < out.height() && in.row(c, y) != out.row(c, y); ++y)
                    std::copy_n(in.row(c, y), out.width(), out.row(c, y));
            return;
        }
        const PixelGrid around = grid.from(-margin, -margin);
        const auto share = float(std::min(1.0, scale * scale)); // the mean of so many pixels has less
        // Of the rows on their way through the bands.
        Image<float> noise({wide, int(std::bit_ceil(unsigned(margin + 1))), 3}, Fill::Anything);
        const auto noiseRow = [&](int m, int y) { return noise.row(m, y & (noise.height() - 1)); };
        std::vector<float> brightness, colour;
        const auto rows = [&](int y) { return std::array{in.row(0, y), in.row(1, y), in.row(2, y)}; };
        throughBands(
            wide, high, {.thresholds = thresholds_, .noise = noiseRow, .spread = spreadOf(scale)},
            [&](int y, const ThreeRows<float> &mixed) {
                float *const variance[3] = {noiseRow(0, y), noiseRow(1, y), noiseRow(2, y)};
                noise_->fill(around, y, wide, variance);
                varianceRow(rows(y).data(), variance, brightness_.row(around, y, wide, brightness),
                            colour_.row(around, y, wide, colour), toe_, share, wide);
                mixRow(rows(y).data(), toe_, wide, mixed);
            },
            [&](int y, const ThreeRows<const float> &mixed) {
                if (y < margin || y >= margin + out.height())
                    return;
                for (int c = 0; c < 3; ++c)
                    unmixRow({mixed[0] + margin, mixed[1] + margin, mixed[2] + margin}, c, toe_, out.width(),
                             out.row(c, y - margin));
            });
    }

private:
    /// A pixel of the full picture, in pixels of the view.
    static int spreadOf(double scale) { return std::max(1, int(std::lround(scale))); }
    Parameter brightness_, colour_;
    std::shared_ptr<const NoiseField> noise_;
    float toe_;
    BandThresholds thresholds_;
};

class NoiseReductionKernel : public Adjustment {
public:
    explicit NoiseReductionKernel(const Varied<NoiseReductionSettings> &s)
        : brightness_(s[&NoiseReductionSettings::luminance]), colour_(s[&NoiseReductionSettings::colour]),
          detail_(s.settings().detail)
    {
    }
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        if (!survey.noise)
            return nullptr;
        const auto toe = survey.seen<float>("noise", 0.0, [&] { return toeOf(survey); });
        return std::make_shared<ReducedNoise>(brightness_, colour_, detail_, survey.noise, *toe);
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    /// Four deviations of the noise where there is least.
    static float toeOf(const Survey &survey)
    {
        constexpr double kLeast = 0.02; // of the picture has less
        constexpr float kDeviations = 4.0f, kNothing = 1e-20f;
        const int width = survey.scene.width(), height = survey.scene.height();
        const PixelGrid grid{0.0, 0.0, survey.width / width, survey.height / height};
        Image<float> variance(width, 1, 3);
        float *const rows[3] = {variance.row(0, 0), variance.row(1, 0), variance.row(2, 0)};
        std::vector<float> all;
        for (int y = 0; y < height; ++y) {
            survey.noise->fill(grid, y, width, rows);
            for (int x = 0; x < width; ++x)
                all.push_back((rows[0][x] + rows[1][x] + rows[2][x]) / 3.0f);
        }
        const auto at = all.begin() + ptrdiff_t(kLeast * double(all.size()));
        std::ranges::nth_element(all, at);
        return kDeviations * std::sqrt(std::max(kNothing, *at));
    }
    Parameter brightness_, colour_;
    double detail_;
};

} // namespace

AdjustmentPtr NoiseReduction::make(const Varied<Settings> &settings)
{
    if (settings[&Settings::luminance].is(0.0) && settings[&Settings::colour].is(0.0))
        return nullptr;
    return std::make_shared<NoiseReductionKernel>(settings);
}

} // namespace yolk
