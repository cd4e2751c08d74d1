#include "adjust/vibrance.h"

#include "base/vectorise.h"
#include "colour/oklab_rows.h"

namespace yolk {
namespace {

YOLK_MULTIVERSION
void scaleChromaRow(const float *__restrict amount, int width, float *__restrict a, float *__restrict b)
{
    constexpr float kSpared = 0.5f * 0.155f, kPercent = 0.01f;
    for (int x = 0; x < width; ++x) {
        const float spared = (a[x] * a[x] + b[x] * b[x]) * (1.0f / (kSpared * kSpared));
        const float gain = 1.0f + kPercent * amount[x] / (1.0f + spared);
        a[x] *= gain;
        b[x] *= gain;
    }
}

class VibranceKernel : public Adjustment {
public:
    explicit VibranceKernel(Parameter amount) : amount_(std::move(amount)) {}
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        static const OklabSpace kSpace(kRec2020);
        const int width = in.width();
        std::vector<float> amount;
        for (int y = 0; y < in.height(); ++y) {
            const float *const from[3] = {in.row(0, y), in.row(1, y), in.row(2, y)};
            float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
            oklabOfRow(from, width, kSpace, to);
            scaleChromaRow(amount_.row(grid, y, width, amount), width, to[1], to[2]);
            rgbOfRow(to, width, kSpace, to);
        }
    }

private:
    Parameter amount_;
};

} // namespace

AdjustmentPtr Vibrance::make(const Varied<Settings> &settings)
{
    const Parameter amount = settings[&Settings::vibrance];
    return amount.is(0.0) ? nullptr : std::make_shared<VibranceKernel>(amount);
}

} // namespace yolk
