#include "adjust/finish/sharpness.h"

#include "base/vectorise.h"
#include "colour/primaries.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr float kLeast = 1e-6f;

YOLK_MULTIVERSION
void rootRow(const float *r, const float *g, const float *b, int width, float *out)
{
    for (int x = 0; x < width; ++x) {
        const float y = kLuminance2020[0] * r[x] + kLuminance2020[1] * g[x] + kLuminance2020[2] * b[x];
        out[x] = std::sqrt(y > kLeast ? y : kLeast);
    }
}

YOLK_MULTIVERSION
void addScaled(const float *__restrict in, float weight, int width, float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] += weight * in[x];
}

YOLK_MULTIVERSION
void widenRange(const float *__restrict in, int width, float *__restrict least, float *__restrict most)
{
    for (int x = 0; x < width; ++x) {
        least[x] = least[x] < in[x] ? least[x] : in[x];
        most[x] = most[x] > in[x] ? most[x] : in[x];
    }
}

struct Detail {
    const float *root, *soft, *least, *most, *strength;
};

YOLK_MULTIVERSION
void sharpenRow(const Detail &of, float flat, int width, float *gain)
{
    constexpr float kPercent = 0.01f, kMost = 2.0f, kBeyond = 0.1f;
    const float perStep = 1.0f / (2.0f * flat + 1e-9f);
    for (int x = 0; x < width; ++x) {
        const float e = of.root[x], s = kPercent * of.strength[x], range = of.most[x] - of.least[x];
        float w = (range - flat) * perStep;
        w = w > 0.0f ? w : 0.0f;
        w = w < 1.0f ? w : 1.0f;
        w = w * w * (3.0f - 2.0f * w);
        const float beyond = kBeyond * s * range, low = of.least[x] - beyond, high = of.most[x] + beyond;
        float now = e + kMost * s * w * (e - of.soft[x]);
        now = now > low ? now : low;
        now = now < high ? now : high;
        const float ratio = (now > 0.0f ? now : 0.0f) / e;
        gain[x] = ratio * ratio;
    }
}

YOLK_MULTIVERSION
void multiplyRow(const float *__restrict in, const float *__restrict gain, int width, float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] = in[x] * gain[x];
}

std::vector<float> gaussianOf(double sigma)
{
    const int reach = std::max(1, int(std::ceil(3.0 * sigma)));
    std::vector<float> out;
    double sum = 0.0;
    for (int i = -reach; i <= reach; ++i)
        sum += std::exp(-0.5 * i * i / (sigma * sigma));
    for (int i = -reach; i <= reach; ++i)
        out.push_back(float(std::exp(-0.5 * i * i / (sigma * sigma)) / sum));
    return out;
}

class SharpnessKernel : public Adjustment {
public:
    explicit SharpnessKernel(const Varied<SharpnessSettings> &s)
        : strength_(s[&SharpnessSettings::strength]), size_(s.settings().size),
          flat_(float(0.0006 * s.settings().spare))
    {
    }
    int context(double scale) const override
    {
        return scale < Sharpness::kLeastScale ? 0 : std::max(nearOf(scale), int(std::ceil(3.0 * size_ * scale)));
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const double scale = grid.scale();
        const int margin = context(scale), width = out.width(), height = out.height(), wide = in.width();
        if (margin == 0) {
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < height && in.row(c, y) != out.row(c, y); ++y)
                    std::copy_n(in.row(c, y), width, out.row(c, y));
            return;
        }
        Image<float> root(wide, in.height(), 1);
        for (int y = 0; y < in.height(); ++y)
            rootRow(in.row(0, y), in.row(1, y), in.row(2, y), wide, root.row(0, y));
        const std::vector<float> gaussian = gaussianOf(size_ * scale);
        const int reach = int(gaussian.size()) / 2, near = nearOf(scale);
        std::vector<float> down(static_cast<size_t>(wide)), soft(static_cast<size_t>(width)), least(down.size()),
            most(down.size()), low(soft.size()), high(soft.size()), gain(soft.size()), amount;
        for (int y = 0; y < height; ++y) {
            const int at = y + margin;
            std::ranges::fill(down, 0.0f);
            for (int i = -reach; i <= reach; ++i)
                addScaled(root.row(0, at + i), gaussian[size_t(i + reach)], wide, down.data());
            std::ranges::fill(soft, 0.0f);
            for (int i = -reach; i <= reach; ++i)
                addScaled(down.data() + margin + i, gaussian[size_t(i + reach)], width, soft.data());
            std::copy_n(root.row(0, at), wide, least.data());
            std::copy_n(root.row(0, at), wide, most.data());
            for (int i = -near; i <= near; ++i)
                widenRange(root.row(0, at + i), wide, least.data(), most.data());
            std::copy_n(least.data() + margin, width, low.data());
            std::copy_n(most.data() + margin, width, high.data());
            for (int i = -near; i <= near; ++i) {
                widenRange(least.data() + margin + i, width, low.data(), high.data());
                widenRange(most.data() + margin + i, width, low.data(), high.data());
            }
            sharpenRow(
                {root.row(0, at) + margin, soft.data(), low.data(), high.data(), strength_.row(grid, y, width, amount)},
                flat_, width, gain.data());
            for (int c = 0; c < 3; ++c)
                multiplyRow(in.row(c, at) + margin, gain.data(), width, out.row(c, y));
        }
    }

private:
    /// A pixel of the full picture, in pixels of the view.
    static int nearOf(double scale) { return std::max(1, int(std::lround(scale))); }
    Parameter strength_;
    double size_;
    float flat_;
};

} // namespace

AdjustmentPtr Sharpness::make(const Varied<Settings> &settings)
{
    if (settings[&Settings::strength].is(0.0))
        return nullptr;
    return std::make_shared<SharpnessKernel>(settings);
}

} // namespace yolk
