#include "adjust/monochrome.h"

#include "base/vectorise.h"

namespace yolk {
namespace {

YOLK_MULTIVERSION
void mixRow(const float *const *in, const float *const *weights, int width, float *const *out)
{
    constexpr float kLeast = 20.0f; // percent
    for (int x = 0; x < width; ++x) {
        const float all = weights[0][x] + weights[1][x] + weights[2][x];
        const float sum = weights[0][x] * in[0][x] + weights[1][x] * in[1][x] + weights[2][x] * in[2][x];
        const float grey = sum / (all > kLeast ? all : kLeast), shown = grey > 0.0f ? grey : 0.0f;
        for (int c = 0; c < 3; ++c)
            out[c][x] = shown;
    }
}

class MonochromeKernel : public Adjustment {
public:
    MonochromeKernel(Parameter red, Parameter green, Parameter blue)
        : weights_{std::move(red), std::move(green), std::move(blue)}
    {
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        std::vector<float> scratch[3];
        for (int y = 0; y < in.height(); ++y) {
            const float *from[3], *weights[3];
            float *to[3];
            for (int c = 0; c < 3; ++c) {
                from[c] = in.row(c, y);
                to[c] = out.row(c, y);
                weights[c] = weights_[c].row(grid, y, in.width(), scratch[c]);
            }
            mixRow(from, weights, in.width(), to);
        }
    }

private:
    Parameter weights_[3];
};

} // namespace

AdjustmentPtr Monochrome::make(const Varied<Settings> &settings)
{
    if (!settings.settings().on)
        return nullptr;
    return std::make_shared<MonochromeKernel>(settings[&Settings::red], settings[&Settings::green],
                                              settings[&Settings::blue]);
}

} // namespace yolk
