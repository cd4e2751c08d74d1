#include "render/files/output_ends.h"

#include "base/vectorise.h"
#include "colour/transfer.h"
#include "render/files/display_codes.h"

#include <algorithm>
#include <vector>

namespace yolk {

namespace {

YOLK_MULTIVERSION
void endsRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, int width, float white,
             float black, int needed, uint8_t *__restrict out)
{
    for (int x = 0; x < width; ++x) {
        const int high = int(r[x] >= white) + int(g[x] >= white) + int(b[x] >= white);
        const int low = int(!(r[x] >= black)) + int(!(g[x] >= black)) + int(!(b[x] >= black));
        out[x] = high >= needed ? uint8_t(OutputEnd::White) : low >= needed ? uint8_t(OutputEnd::Black) : uint8_t(0);
    }
}

} // namespace

Image<uint8_t> outputEnds(ImageView<const float> display, EndsOf channels, ExecContext &ctx)
{
    const float white = float(decodeSrgb(254.5 / 255.0)), black = float(decodeSrgb(0.5 / 255.0));
    Image<uint8_t> out(display.width(), display.height(), 1);
    const bool single = channels != EndsOf::Any && channels != EndsOf::All;
    const int only = channels == EndsOf::Green ? 1 : channels == EndsOf::Blue ? 2 : 0;
    const int needed = channels == EndsOf::Any ? 1 : 3; // a single channel stands for all three
    forEachBand(ctx, display.height(), [&](int y0, int y1) {
        const auto row = [&](int c, int y) { return display.row(single ? only : c, y); };
        for (int y = y0; y < y1; ++y)
            endsRow(row(0, y), row(1, y), row(2, y), display.width(), white, black, needed, out.row(0, y));
    });
    return out;
}

OutputHistogram outputHistogram(ImageView<const float> display, OutputSpace space, ExecContext &ctx,
                                ImageView<const uint8_t> reached)
{
    const Matrix3 toXyz = rgbToXyz(primariesOf(space));
    std::array<std::array<int, 256>, 4> counts{};
    int white = 0, black = 0;
    long long pixels = 0;
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
            if (reached.height() > 0 && !reached.row(0, y)[x])
                continue;
            ++pixels;
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
    const double all = std::max(1.0, double(pixels));
    for (size_t c = 0; c < counts.size(); ++c)
        for (size_t i = 0; i < 256; ++i)
            out.shares[c][i] = float(counts[c][i] / all);
    out.white = white / all;
    out.black = black / all;
    return out;
}

} // namespace yolk
