#include "adjust/local_white.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/white_point.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// What makes white of D65 the white of another light: stops of linear Rec. 2020.
Vector3 stopsTo(const WhitePoint &white)
{
    const Vector3 rgb = inverse(rgbToXyz(kRec2020)) * xyzOf(chromaticityOf(white));
    return {std::log2(rgb[0]), std::log2(rgb[1]), std::log2(rgb[2])};
}

YOLK_MULTIVERSION
void warmRow(const float *__restrict warm, const float *__restrict tint, const float *__restrict perWarm,
             const float *__restrict perTint, int width, float *__restrict r, float *__restrict g, float *__restrict b)
{
    constexpr float kR = kLuminance2020[0], kG = kLuminance2020[1], kB = kLuminance2020[2];
    for (int x = 0; x < width; ++x) {
        const float before = kR * r[x] + kG * g[x] + kB * b[x];
        const float red = r[x] * quickExp2(warm[x] * perWarm[0] + tint[x] * perTint[0]);
        const float green = g[x] * quickExp2(warm[x] * perWarm[1] + tint[x] * perTint[1]);
        const float blue = b[x] * quickExp2(warm[x] * perWarm[2] + tint[x] * perTint[2]);
        const float after = kR * red + kG * green + kB * blue;
        const float keep = before > 0.0f && after > 0.0f ? before / after : 1.0f;
        r[x] = red * keep;
        g[x] = green * keep;
        b[x] = blue * keep;
    }
}

class LocalWhiteKernel : public Adjustment {
public:
    LocalWhiteKernel(Parameter temperature, Parameter tint)
        : temperature_(std::move(temperature)), tint_(std::move(tint))
    {
        constexpr double kMired = 1e6 / 6504.0, kSpan = 40.0, kTints = 20.0; // slopes over what is usual
        const Vector3 warm = stopsTo({1e6 / (kMired + kSpan), 0.0}), cool = stopsTo({1e6 / (kMired - kSpan), 0.0});
        const Vector3 green = stopsTo({6504.0, kTints}), magenta = stopsTo({6504.0, -kTints});
        for (size_t c = 0; c < 3; ++c) {
            perWarm_[c] = float((warm[c] - cool[c]) / (2.0 * kSpan));
            perTint_[c] = float((magenta[c] - green[c]) / (2.0 * kTints));
        }
    }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        std::vector<float> warm, tint;
        for (int y = 0; y < out.height(); ++y) {
            for (int p = 0; p < 3; ++p)
                if (in.row(p, y) != out.row(p, y))
                    std::copy_n(in.row(p, y), in.width(), out.row(p, y));
            const float *w = temperature_.row(grid, y, out.width(), warm), *t = tint_.row(grid, y, out.width(), tint);
            warmRow(w, t, perWarm_, perTint_, out.width(), out.row(0, y), out.row(1, y), out.row(2, y));
        }
    }

private:
    Parameter temperature_, tint_;
    float perWarm_[3], perTint_[3];
};

} // namespace

AdjustmentPtr LocalWhite::make(const Varied<Settings> &settings)
{
    const Parameter temperature = settings[&Settings::temperature], tint = settings[&Settings::tint];
    return temperature.is(0.0) && tint.is(0.0) ? nullptr : std::make_shared<LocalWhiteKernel>(temperature, tint);
}

} // namespace yolk
