#include "denoise/frame_denoise.h"

#include "base/vectorise.h"
#include "denoise/bands.h"
#include "image/mat_p.h"
#include "image/soft_map.h"
#include "io/linear_codes.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <vector>

namespace yolk {
namespace {

/// A part of the frame that passes through at once: large, so that little is done twice round it.
constexpr int kPartWidth = 1024, kPartHeight = 1024;

/// Codes to values whose noise has deviation 1, and back: 2 / gain * sqrt(gain * z + offset), and below black a
/// straight line, which the curve touches there.
struct Evened {
    explicit Evened(const NoiseModel &noise)
        : gain(float(noise.gain)), offset(float(0.375 * noise.gain * noise.gain + noise.readVariance)),
          zero(2.0f / gain * std::sqrt(offset)), slope(1.0f / std::sqrt(offset))
    {
    }
    float black() const { return zero * (kMix[0][0] + kMix[0][1] + kMix[0][2]); } ///< as brightness
    float gain, offset, zero, slope;
};

/// Codes as evened brightness and differences.
YOLK_MULTIVERSION
void mixRow(const ThreeRows<const uint16_t> &codes, int width, const Evened &evened, const ThreeRows<float> &mixed)
{
    const float gain = evened.gain, offset = evened.offset, zero = evened.zero, slope = evened.slope,
                perRoot = 2.0f / gain;
    const auto even = [=](uint16_t code) {
        const float z = (float(code) - float(kPedestal)) * (1.0f / kCodeScale);
        const float root = perRoot * std::sqrt(gain * (z > 0.0f ? z : 0.0f) + offset);
        return z < 0.0f ? zero + slope * z : root;
    };
    const uint16_t *r = codes[0], *g = codes[1], *b = codes[2];
    float *first = mixed[0], *second = mixed[1], *third = mixed[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // what is written overlaps nothing that is read
        const float red = even(r[x]), green = even(g[x]), blue = even(b[x]);
        first[x] = kMix[0][0] * red + kMix[0][1] * green + kMix[0][2] * blue;
        second[x] = kMix[1][0] * red + kMix[1][1] * green + kMix[1][2] * blue;
        third[x] = kMix[2][0] * red + kMix[2][1] * green + kMix[2][2] * blue;
    }
}

/// And back to codes; what is clipped stays as it was.
YOLK_MULTIVERSION
void unmixRow(const ThreeRows<const float> &mixed, const uint16_t *was, int channel, int width, const Evened &evened,
              uint16_t *to)
{
    const float fromFirst = kMix[0][channel], fromSecond = kMix[1][channel], fromThird = kMix[2][channel];
    const float halfGain = 0.5f * evened.gain, perGain = 1.0f / evened.gain, offset = evened.offset, zero = evened.zero,
                perSlope = 1.0f / evened.slope;
    const uint16_t clipped = codeOfLinear(0.982);
    const float *first = mixed[0], *second = mixed[1], *third = mixed[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `to` overlaps nothing that is read
        const float t = fromFirst * first[x] + fromSecond * second[x] + fromThird * third[x];
        const float half = t * halfGain;
        const float z = t < zero ? (t - zero) * perSlope : (half * half - offset) * perGain;
        float code = z * kCodeScale + (float(kPedestal) + 0.5f);
        code = code > 0.0f ? code : 0.0f;
        const auto rounded = uint16_t(int(code < 65535.0f ? code : 65535.0f));
        to[x] = was[x] >= clipped ? was[x] : rounded;
    }
}

/// Rows of a part of the frame, evened and mixed.
std::function<void(int y, const ThreeRows<float> &rows)> rowsOf(const Image<uint16_t> &codes, Rect part,
                                                                const Evened &evened)
{
    return [&codes, part, evened](int y, const ThreeRows<float> &mixed) {
        const auto from = [&](int c) { return codes.row(c, part.y0 + y) + part.x0; };
        mixRow({from(0), from(1), from(2)}, part.width(), evened, mixed);
    };
}

/// The noise in each band by the median of its coefficients over some blocks spread over the frame: interpolated
/// colours have less fine noise and more coarse noise than the model says. Texture raises the median, so the model
/// bounds it.
BandThresholds bandNoise(const Image<uint16_t> &codes, const Evened &evened, ExecContext &ctx)
{
    constexpr int kBlocks = 4, kRows = 64, kEvery = 7; // pixels: enough for a median
    const int rows = std::min(kRows, codes.height());
    using Sizes = std::array<std::array<std::vector<float>, kBands>, 3>;
    std::array<Sizes, kBlocks> found;
    ExecContext looking = ctx.child({});
    forEachPart(looking, kBlocks, [&](int block, ExecContext &) {
        const int top = (codes.height() - rows) * block / (kBlocks - 1);
        const auto see = [&](int m, int scale, int y, const float *fine, const float *rest) {
            std::vector<float> &sizes = found[size_t(block)][size_t(m)][size_t(scale)];
            for (int x = y % kEvery; x < codes.width(); x += kEvery)
                sizes.push_back(std::abs(fine[x] - rest[x]));
        };
        throughBands(codes.width(), rows, {.see = see}, rowsOf(codes, {0, top, codes.width(), top + rows}, evened),
                     [](int, const ThreeRows<const float> &) {});
    });
    BandThresholds out{};
    forEachPart(looking, 3 * kBands, [&](int band, ExecContext &) {
        const size_t m = size_t(band / kBands), s = size_t(band % kBands);
        std::vector<float> all;
        for (const Sizes &sizes : found)
            all.insert(all.end(), sizes[m][s].begin(), sizes[m][s].end());
        const auto middle = all.begin() + ptrdiff_t(all.size() / 2);
        std::ranges::nth_element(all, middle);
        const double measured = all.empty() ? 0.0 : 1.4826 * double(*middle);
        out[m][s] = float(std::min(measured, 1.5 * kBandNoise[s]));
    });
    return out;
}

/// Evened brightness over black and the two differences, means of cells of a frame.
Image<float> cellMeans(const Image<uint16_t> &codes, const Evened &evened, int cell, ExecContext &ctx)
{
    const int width = codes.width(), height = codes.height();
    const auto mixed = rowsOf(codes, {0, 0, width, height}, evened);
    Image<float> out((width + cell - 1) / cell, (height + cell - 1) / cell, 3);
    forEachPart(ctx, out.height(), [&](int row, ExecContext &own) {
        own.throwIfStopped();
        Image<float> line({width, 1, 3}, Fill::Anything);
        const int y0 = row * cell, y1 = std::min(height, y0 + cell);
        for (int y = y0; y < y1; ++y) {
            mixed(y, {line.row(0, 0), line.row(1, 0), line.row(2, 0)});
            for (int m = 0; m < 3; ++m)
                for (int x = 0; x < width; ++x)
                    out.row(m, row)[x / cell] += line.row(m, 0)[x] - (m == 0 ? evened.black() : 0.0f);
        }
        for (int m = 0; m < 3; ++m)
            for (int x = 0; x < out.width(); ++x)
                out.row(m, row)[x] /= float((y1 - y0) * (std::min(width, (x + 1) * cell) - x * cell));
    });
    return out;
}

/// Planes 1 and 2: the differences over brightness round each cell, every cell's by the inverse of its variance.
Image<float> coloursRound(const Image<float> &cells, double noise)
{
    constexpr double kVaries = 0.1;                 // as much colours differ from cell to cell
    constexpr double kAround = 4.0, kUnknown = 0.1; // cells; weight of the whole frame's colour
    Image<float> weighed(cells.shape()), out({cells.width(), cells.height(), 3}, Fill::Anything);
    double sums[3] = {};
    for (int y = 0; y < cells.height(); ++y)
        for (int x = 0; x < cells.width(); ++x) {
            const double light = std::max(1e-6, double(cells.row(0, y)[x])), own = noise / light;
            const double weight = 1.0 / (own * own + kVaries * kVaries);
            weighed.row(0, y)[x] = float(weight);
            sums[0] += light;
            for (int m = 1; m < 3; ++m) {
                weighed.row(m, y)[x] = float(weight * double(cells.row(m, y)[x]) / light);
                sums[m] += double(cells.row(m, y)[x]);
            }
        }
    for (int m = 0; m < 3; ++m) {
        cv::Mat to = matOf(out, m);
        cv::GaussianBlur(matOf(weighed, m), to, {}, kAround, kAround, cv::BORDER_REPLICATE);
    }
    for (int y = 0; y < cells.height(); ++y)
        for (int x = 0; x < cells.width(); ++x)
            for (int m = 1; m < 3; ++m)
                out.row(m, y)[x] = float((double(out.row(m, y)[x]) + kUnknown * sums[m] / sums[0]) /
                                         (double(out.row(0, y)[x]) + kUnknown));
    return out;
}

} // namespace

void denoiseFrame(Image<uint16_t> &codes, const NoiseModel &noise, double strength, ExecContext &ctx)
{
    if (codes.planes() != 3 || !(strength >= 0.0 && strength <= 1.0) || !(noise.gain > 0.0))
        throw ArgumentError(textOf("noise reduction of %d planes, strength %g: three planes and 0 to 1 are possible",
                                   codes.planes(), strength));
    if (strength == 0.0 || codes.shape().empty())
        return;
    const Evened evened(noise);
    BandThresholds threshold = bandNoise(codes, evened, ctx);
    for (size_t m = 0; m < 3; ++m)
        for (float &t : threshold[m])
            t *= float(strength) * (m == 0 ? 2.5f : 3.5f);

    Image<uint16_t> out(codes.shape(), Fill::Anything);
    const int across = (codes.width() + kPartWidth - 1) / kPartWidth,
              down = (codes.height() + kPartHeight - 1) / kPartHeight;
    forEachPart(ctx, across * down, [&](int part, ExecContext &own) {
        own.throwIfStopped();
        const int x0 = part % across * kPartWidth, x1 = std::min(codes.width(), x0 + kPartWidth);
        const int y0 = part / across * kPartHeight, y1 = std::min(codes.height(), y0 + kPartHeight);
        const Rect felt{std::max(0, x0 - kBandReach), std::max(0, y0 - kBandReach),
                        std::min(codes.width(), x1 + kBandReach), std::min(codes.height(), y1 + kBandReach)};
        const auto take = [&](int row, const ThreeRows<const float> &mixed) {
            const int y = felt.y0 + row;
            if (y < y0 || y >= y1)
                return;
            const ptrdiff_t skip = x0 - felt.x0;
            for (int c = 0; c < 3; ++c)
                unmixRow({mixed[0] + skip, mixed[1] + skip, mixed[2] + skip}, codes.row(c, y) + x0, c, x1 - x0, evened,
                         out.row(c, y) + x0);
        };
        throughBands(felt.width(), felt.height(), {.thresholds = threshold}, rowsOf(codes, felt, evened), take);
    });
    codes = std::move(out);
}

void calmColours(Image<uint16_t> &codes, const NoiseModel &noise, int reduction, ExecContext &ctx)
{
    constexpr int kCell = 16, kLeastCell = 2; // pixels of the full frame; of this one
    constexpr double kCoarser = 2.0;
    constexpr float kDeviations = 3.5f;
    if (codes.planes() != 3 || !(noise.gain > 0.0) || reduction < 1)
        throw ArgumentError(
            textOf("colour noise of %d planes at 1/%d: three planes are possible", codes.planes(), reduction));
    if (codes.shape().empty())
        return;
    const int cell = std::max(kLeastCell, kCell / reduction), width = codes.width(), height = codes.height();
    const Evened evened(noise);
    ExecContext looking = ctx.part(0.0, 0.4), changing = ctx.part(0.4, 1.0);
    Image<float> colours = coloursRound(cellMeans(codes, evened, cell, looking), kCoarser / (cell * reduction));
    const double spanX = double(colours.width()) * cell, spanY = double(colours.height()) * cell;
    const SoftMap round(std::move(colours), spanX, spanY);
    const auto mixed = rowsOf(codes, {0, 0, width, height}, evened);
    // What the bands leave: each next one would have half the deviation of that before, so all of them 1 / sqrt(3) of it.
    const double rest = kCoarser * kBandNoise.back() / std::sqrt(3.0) / reduction;
    const float threshold = kDeviations * float(rest), least = threshold * threshold, black = evened.black();
    forEachBand(changing, height, [&](int y0, int y1) {
        Image<float> line({width, 1, 3}, Fill::Anything);
        std::vector<float> ratio(static_cast<size_t>(width));
        SoftMap::Rows ratios = round.rows({}, width);
        for (int y = y0; y < y1; ++y) {
            mixed(y, {line.row(0, 0), line.row(1, 0), line.row(2, 0)});
            for (int m = 1; m < 3; ++m) {
                ratios.read(m, y, ratio.data());
                for (int x = 0; x < width; ++x) {
                    const float light = line.row(0, 0)[x] - black;
                    const float usual = ratio[size_t(x)] * (light > 0.0f ? light : 0.0f);
                    const float off = line.row(m, 0)[x] - usual, square = off * off;
                    line.row(m, 0)[x] = usual + off * (1.0f - least / std::max(square, least));
                }
            }
            for (int c = 0; c < 3; ++c)
                unmixRow({line.row(0, 0), line.row(1, 0), line.row(2, 0)}, codes.row(c, y), c, width, evened,
                         codes.row(c, y));
        }
    });
}

} // namespace yolk
