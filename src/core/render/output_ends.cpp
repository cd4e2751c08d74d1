#include "render/output_ends.h"

#include "colour/transfer.h"
#include "render/output.h"

#include <algorithm>
#include <vector>

namespace yolk {

Image<uint8_t> outputEnds(ImageView<const float> display, EndsOf channels, ExecContext &ctx)
{
    const float white = float(decodeSrgb(254.5 / 255.0)), black = float(decodeSrgb(0.5 / 255.0));
    Image<uint8_t> out(display.width(), display.height(), 1);
    const int first = channels == EndsOf::Green ? 1 : channels == EndsOf::Blue ? 2 : 0;
    const int last = channels == EndsOf::Any || channels == EndsOf::All ? 2 : first;
    const int needed = channels == EndsOf::All ? 3 : 1;
    forEachBand(ctx, display.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < display.width(); ++x) {
                int high = 0, low = 0;
                for (int c = first; c <= last; ++c) {
                    const float v = display.row(c, y)[x];
                    high += v >= white;
                    low += !(v >= black);
                }
                out.row(0, y)[x] = uint8_t(high >= needed  ? OutputEnd::White
                                           : low >= needed ? OutputEnd::Black
                                                           : OutputEnd::None);
            }
    });
    return out;
}

OutputHistogram outputHistogram(ImageView<const float> display, OutputSpace space, ExecContext &ctx)
{
    const Matrix3 toXyz = rgbToXyz(primariesOf(space));
    std::array<std::array<int, 256>, 4> counts{};
    int white = 0, black = 0;
    Image<float> luminance(display.width(), 1, 3); // coded like the others: three planes, so that one coder serves
    std::vector<uint8_t> codes(size_t(display.width()) * 3), lightness(codes.size());
    for (int y = 0; y < display.height(); ++y) {
        if (y % kBandRows == 0)
            ctx.throwIfStopped();
        encodeRow8(display, y, codes);
        for (int x = 0; x < display.width(); ++x) {
            double sum = 0.0;
            for (int c = 0; c < 3; ++c)
                sum += toXyz.m[size_t(3 + c)] * double(display.row(c, y)[x]);
            luminance.row(0, 0)[x] = float(sum);
        }
        encodeRow8(luminance.view(), 0, lightness);
        for (size_t x = 0; x < size_t(display.width()); ++x) {
            int high = 0, low = 0;
            for (size_t c = 0; c < 3; ++c) {
                const uint8_t code = codes[3 * x + c];
                ++counts[c][code];
                high += code == 255;
                low += code == 0;
            }
            ++counts[OutputHistogram::kLuminance][lightness[3 * x]];
            white += high > 0;
            black += high == 0 && low > 0;
        }
    }
    OutputHistogram out;
    const double pixels = double(display.shape().pixels());
    for (size_t c = 0; c < counts.size(); ++c)
        for (size_t i = 0; i < 256; ++i)
            out.shares[c][i] = float(counts[c][i] / pixels);
    out.white = white / pixels;
    out.black = black / pixels;
    return out;
}

} // namespace yolk
