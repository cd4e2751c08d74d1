#include "render/views/tone_response.h"

#include "colour/transfer.h"
#include "tone/tone_map.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {

ToneResponse toneResponse(ImageView<const float> scene, ImageView<const float> display, OutputSpace space,
                          ExecContext &ctx)
{
    if (scene.shape() != display.shape() || scene.planes() != 3)
        throw ArgumentError(textOf("the response of %d x %d and %d x %d pixels: must be alike, of three planes",
                                   scene.width(), scene.height(), display.width(), display.height()));
    const Matrix3 toXyz = rgbToXyz(primariesOf(space));
    const Image<float> ev = evOf(scene, ctx);
    std::array<std::vector<float>, ToneResponse::kBins> found; // luminance shown
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x) {
            double shown = 0.0;
            for (int c = 0; c < 3; ++c)
                shown += toXyz.m[size_t(3 + c)] * double(display.row(c, y)[x]);
            const double bin = (double(ev.row(0, y)[x]) - ToneResponse::kFirstEv) / ToneResponse::kBinEv;
            found[size_t(std::clamp(bin, 0.0, ToneResponse::kBins - 1.0))].push_back(float(shown));
        }
    ToneResponse out;
    int last = -1;
    for (int i = 0; i < ToneResponse::kBins; ++i) {
        std::vector<float> &values = found[size_t(i)];
        if (values.empty())
            continue;
        const auto middle = values.begin() + ptrdiff_t(values.size() / 2);
        std::ranges::nth_element(values, middle);
        const float lightness = float(lightnessOf(double(*middle)));
        out.lightness[size_t(i)] = lightness;
        for (int k = last + 1; k < i; ++k)
            out.lightness[size_t(k)] =
                last < 0 ? lightness
                         : std::lerp(out.lightness[size_t(last)], lightness, float(k - last) / float(i - last));
        last = i;
    }
    for (int k = last + 1; k < ToneResponse::kBins && last >= 0; ++k)
        out.lightness[size_t(k)] = out.lightness[size_t(last)];
    return out;
}

} // namespace yolk
