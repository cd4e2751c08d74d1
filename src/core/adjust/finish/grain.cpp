#include "adjust/finish/grain.h"

#include "base/vectorise.h"
#include "colour/primaries.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace yolk {
namespace {

/// Where the pixels of a row lie on a lattice: the point before them, and the way from there to the next one.
struct Places {
    const int32_t *before;
    const float *on;
};
struct Lattice {
    int32_t y;
    float down; ///< of the row, from lattice row y on
    uint32_t seed;
    float weight;
};

/// -1 to 1, even.
YOLK_INLINE float pointOf(int32_t x, int32_t y, uint32_t seed)
{
    uint32_t h = uint32_t(x) * 0x9e3779b1u ^ uint32_t(y) * 0x85ebca77u ^ seed;
    h = (h ^ (h >> 15)) * 0x2c1b3c6du;
    h = (h ^ (h >> 12)) * 0x297a2d39u;
    h ^= h >> 15;
    return float(int32_t(h)) * (1.0f / 2147483648.0f);
}

YOLK_INLINE float blend(float t)
{
    return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f);
}

YOLK_MULTIVERSION
void noiseRow(const Lattice &of, const Places &places, int width, float *out)
{
    const float ty = blend(of.down);
    const int32_t y = of.y;
    // The mean of four even values of weights w has the variance sum(w^2) / 3.
    const float downs = (1.0f - ty) * (1.0f - ty) + ty * ty;
#pragma GCC ivdep
    for (int i = 0; i < width; ++i) {
        const float tx = blend(places.on[i]);
        const int32_t x = places.before[i];
        const float upper = pointOf(x, y, of.seed) * (1.0f - tx) + pointOf(x + 1, y, of.seed) * tx;
        const float lower = pointOf(x, y + 1, of.seed) * (1.0f - tx) + pointOf(x + 1, y + 1, of.seed) * tx;
        const float across = (1.0f - tx) * (1.0f - tx) + tx * tx;
        out[i] += of.weight * (upper + ty * (lower - upper)) * std::sqrt(3.0f / (across * downs));
    }
}

YOLK_MULTIVERSION
void grainRow(const float *const *in, const float *noise, int width, float amount, float *const *out)
{
    constexpr float kLeast = 1e-4f;
    const float *const inR = in[0], *const inG = in[1], *const inB = in[2];
    float *const outR = out[0], *const outG = out[1], *const outB = out[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `out` may be `in`, and overlaps nothing else
        const float r = inR[x], g = inG[x], b = inB[x];
        const float y = kLuminance2020[0] * r + kLuminance2020[1] * g + kLuminance2020[2] * b;
        const float e = std::sqrt(y > kLeast ? y : kLeast), below = e < 1.0f ? 1.0f - e : 0.0f;
        const float now = e + amount * 4.0f * e * below * noise[x];
        const float ratio = (now > 0.0f ? now : 0.0f) / e, gain = ratio * ratio;
        outR[x] = r * gain;
        outG[x] = g * gain;
        outB[x] = b * gain;
    }
}

/// Where the columns of a grid lie on a lattice. Found in double, so that places are the same whatever the first pixel.
class LatticeColumns {
public:
    LatticeColumns(const PixelGrid &grid, double cell, int width)
        : spaced_(std::max(cell, grid.stepX)), weaker_(cell / spaced_), before_(static_cast<size_t>(width)),
          on_(before_.size())
    {
        for (size_t x = 0; x < before_.size(); ++x) {
            const double at = grid.x(int(x)) / spaced_, whole = std::floor(at);
            before_[x] = int32_t(whole);
            on_[x] = float(at - whole);
        }
    }
    /// Half of the variance.
    void addNoise(const PixelGrid &grid, int y, uint32_t seed, std::vector<float> &noise) const
    {
        const double row = grid.y(y) / spaced_, whole = std::floor(row);
        noiseRow({int32_t(whole), float(row - whole), seed, float(std::sqrt(0.5) * weaker_)},
                 {before_.data(), on_.data()}, int(noise.size()), noise.data());
    }

private:
    double spaced_,
        weaker_; ///< pixels of the frame from point to point; of the noise where pixels are larger than cells
    std::vector<int32_t> before_;
    std::vector<float> on_;
};

class GrainOnFrame : public Adjustment {
public:
    /// `cell` in pixels of the reference frame.
    GrainOnFrame(double amount, double cell) : amount_(0.1 * amount / 100.0), cell_(cell) {}
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const int width = out.width();
        std::vector<float> noise(static_cast<size_t>(width));
        const LatticeColumns coarse(grid, cell_, width), fine(grid, 0.5 * cell_, width);
        for (int y = 0; y < out.height(); ++y) {
            std::ranges::fill(noise, 0.0f);
            coarse.addNoise(grid, y, 0x51ed27u, noise);
            fine.addNoise(grid, y, 0xa3c59bu, noise);
            const float *const from[3] = {in.row(0, y), in.row(1, y), in.row(2, y)};
            float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
            grainRow(from, noise.data(), width, float(amount_), to);
        }
    }

private:
    double amount_, cell_;
};

class GrainKernel : public Adjustment {
public:
    explicit GrainKernel(const GrainSettings &settings) : settings_(settings) {}
    bool surveys() const override { return true; }
    AdjustmentPtr surveyed(const Survey &survey) const override
    {
        constexpr double kFinest = 3e-4, kCoarsest = 1.5e-3; // of the longer side
        const double share = kFinest * std::pow(kCoarsest / kFinest, settings_.size / 100.0);
        return std::make_shared<GrainOnFrame>(settings_.amount, share * std::max(survey.width, survey.height));
    }
    void apply(ImageView<const float>, ImageView<float>, const PixelGrid &) const override {}

private:
    GrainSettings settings_;
};

} // namespace

AdjustmentPtr Grain::make(const Varied<Settings> &settings)
{
    return settings.settings().amount == 0.0 ? nullptr : std::make_shared<GrainKernel>(settings.settings());
}

} // namespace yolk
