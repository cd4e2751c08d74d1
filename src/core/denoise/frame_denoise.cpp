#include "denoise/frame_denoise.h"

#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <functional>
#include <vector>

namespace yolk {
namespace {

constexpr int kScales = 4;
constexpr int kReach = 2 * ((1 << kScales) - 1); // pixels beyond which nothing is felt
/// A part of the frame that passes through at once: large, so that little is done twice round it.
constexpr int kPartWidth = 1024, kPartHeight = 1024;
/// Deviation of unit white noise in each band [StarckMurtagh1998].
constexpr std::array<double, kScales> kBandNoise{0.889, 0.200, 0.086, 0.041};

/// Codes to values whose noise has deviation 1, and back: 2 / gain * sqrt(gain * z + offset), and below black a
/// straight line, which the curve touches there.
struct Evened {
    explicit Evened(const NoiseModel &noise)
        : gain(float(noise.gain)), offset(float(0.375 * noise.gain * noise.gain + noise.readVariance)),
          zero(2.0f / gain * std::sqrt(offset)), slope(1.0f / std::sqrt(offset))
    {
    }
    float gain, offset, zero, slope;
};

/// Brightness and two differences, orthonormal, so that unit noise stays unit noise; the inverse is the transpose.
constexpr float kMix[3][3] = {{0.57735027f, 0.57735027f, 0.57735027f},
                              {0.70710678f, 0.0f, -0.70710678f},
                              {0.40824829f, -0.81649658f, 0.40824829f}};

template <class T> using ThreeRows = std::array<T *, 3>;

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

int mirrored(int i, int n)
{
    i = i < 0 ? -i : i;
    i = i >= n ? 2 * (n - 1) - i : i;
    return std::clamp(i, 0, n - 1);
}

YOLK_MULTIVERSION
void smoothDown(const float *__restrict a, const float *__restrict b, const float *__restrict c,
                const float *__restrict d, const float *__restrict e, int width, float *__restrict to)
{
    for (int x = 0; x < width; ++x)
        to[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
}

YOLK_MULTIVERSION
void smoothAcross(const float *__restrict from, int step, int width, float *__restrict to)
{
    for (int x = 0; x < width; ++x)
        to[x] = 0.0625f * (from[x - 2 * step] + from[x + 2 * step]) + 0.25f * (from[x - step] + from[x + step]) +
                0.375f * from[x];
}

/// What stands out of the noise between a row and its smooth rest is added to `kept`.
YOLK_MULTIVERSION
void shrinkRow(const float *__restrict row, const float *__restrict rest, float threshold, int width,
               float *__restrict kept)
{
    const float least = threshold * threshold;
    for (int x = 0; x < width; ++x) {
        const float d = row[x] - rest[x], square = d * d;
        const float more = square > least ? square : least;
        kept[x] += d * (1.0f - least / (more + 1e-30f)); // nothing where the square is not more
    }
}

YOLK_MULTIVERSION
void addRow(const float *__restrict kept, int width, float *__restrict plane)
{
    for (int x = 0; x < width; ++x)
        plane[x] += kept[x];
}

/// A plane on its way from the top down: of each level the rows that the next one still needs, and what is kept of the
/// bands so far.
struct PlaneRows {
    explicit PlaneRows(int width) : kept(ringOf(width, kReach)), padded(size_t(width + kReach + 2)), rest(size_t(width))
    {
        for (int scale = 0; scale < kScales; ++scale)
            levels[size_t(scale)] = ringOf(width, 4 << scale);
    }
    static Image<float> ringOf(int width, int mostBetween)
    {
        return Image<float>({width, int(std::bit_ceil(unsigned(mostBetween + 1))), 1}, Fill::Anything);
    }
    static float *rowOf(Image<float> &ring, int y) { return ring.row(0, y & (ring.height() - 1)); }

    std::array<Image<float>, kScales> levels;
    Image<float> kept;
    std::vector<float> padded, rest; ///< one row each
};

/// A row of a level through the cubic spline (1 4 6 4 1) / 16 with holes of `step`, edges mirrored.
void smoothRow(Image<float> &level, int y, int step, int height, std::vector<float> &padded, float *to)
{
    const int width = level.width(), margin = 2 * step;
    float *row = padded.data() + margin;
    const auto at = [&](int v) { return PlaneRows::rowOf(level, mirrored(v, height)); };
    smoothDown(at(y - 2 * step), at(y - step), at(y), at(y + step), at(y + 2 * step), width, row);
    for (int x = 1; x <= margin; ++x) {
        row[-x] = row[mirrored(-x, width)];
        row[width - 1 + x] = row[mirrored(width - 1 + x, width)];
    }
    smoothAcross(row, step, width, to);
}

using Thresholds = std::array<std::array<float, kScales>, 3>;
using GiveRow = std::function<void(int y, const ThreeRows<float> &mixed)>;
using TakeRow = std::function<void(int y, const ThreeRows<const float> &mixed)>;
using SeeBand = std::function<void(int mix, int scale, int y, const float *fine, const float *rest)>;

/// Shrinks each band of each plane; the bands add up to the plane with its smooth rest. Rows are given and taken from
/// the top down; `see` looks at each band before.
void throughBands(int width, int height, const Thresholds &thresholds, const GiveRow &give, const TakeRow &take,
                  const SeeBand &see = {})
{
    std::array<PlaneRows, 3> planes{PlaneRows(width), PlaneRows(width), PlaneRows(width)};
    for (int given = 0; given < height + kReach; ++given) {
        const auto top = [&](size_t m) { return PlaneRows::rowOf(planes[m].levels[0], given); };
        if (given < height)
            give(given, {top(0), top(1), top(2)});
        for (size_t m = 0; m < 3; ++m)
            for (int scale = 0; scale < kScales; ++scale) {
                PlaneRows &plane = planes[m];
                const int step = 1 << scale, y = given - 2 * (2 * step - 1); // all that it needs is there
                if (y < 0 || y >= height)
                    continue;
                Image<float> &level = plane.levels[size_t(scale)];
                float *rest =
                    scale + 1 < kScales ? PlaneRows::rowOf(plane.levels[size_t(scale) + 1], y) : plane.rest.data();
                smoothRow(level, y, step, height, plane.padded, rest);
                const float *fine = PlaneRows::rowOf(level, y);
                if (see)
                    see(int(m), scale, y, fine, rest);
                float *kept = PlaneRows::rowOf(plane.kept, y);
                if (scale == 0)
                    std::fill_n(kept, width, 0.0f);
                shrinkRow(fine, rest, thresholds[m][size_t(scale)], width, kept);
            }
        if (const int y = given - kReach; y >= 0) {
            for (PlaneRows &plane : planes)
                addRow(PlaneRows::rowOf(plane.kept, y), width, plane.rest.data());
            take(y, {planes[0].rest.data(), planes[1].rest.data(), planes[2].rest.data()});
        }
    }
}

/// Rows of a part of the frame, evened and mixed.
GiveRow rowsOf(const Image<uint16_t> &codes, Rect part, const Evened &evened)
{
    return [&codes, part, evened](int y, const ThreeRows<float> &mixed) {
        const auto from = [&](int c) { return codes.row(c, part.y0 + y) + part.x0; };
        mixRow({from(0), from(1), from(2)}, part.width(), evened, mixed);
    };
}

/// The noise in each band by the median of its coefficients over some blocks spread over the frame: interpolated
/// colours have less fine noise and more coarse noise than the model says. Texture raises the median, so the model
/// bounds it.
Thresholds bandNoise(const Image<uint16_t> &codes, const Evened &evened, ExecContext &ctx)
{
    constexpr int kBlocks = 4, kRows = 64, kEvery = 7; // pixels: enough for a median
    const int rows = std::min(kRows, codes.height());
    using Sizes = std::array<std::array<std::vector<float>, kScales>, 3>;
    std::array<Sizes, kBlocks> found;
    ExecContext looking = ctx.child({});
    forEachPart(looking, kBlocks, [&](int block, ExecContext &) {
        const int top = (codes.height() - rows) * block / (kBlocks - 1);
        const auto see = [&](int m, int scale, int y, const float *fine, const float *rest) {
            std::vector<float> &sizes = found[size_t(block)][size_t(m)][size_t(scale)];
            for (int x = y % kEvery; x < codes.width(); x += kEvery)
                sizes.push_back(std::abs(fine[x] - rest[x]));
        };
        throughBands(
            codes.width(), rows, {}, rowsOf(codes, {0, top, codes.width(), top + rows}, evened),
            [](int, const ThreeRows<const float> &) {}, see);
    });
    Thresholds out{};
    forEachPart(looking, 3 * kScales, [&](int band, ExecContext &) {
        const size_t m = size_t(band / kScales), s = size_t(band % kScales);
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

} // namespace

void denoiseFrame(Image<uint16_t> &codes, const NoiseModel &noise, double strength, ExecContext &ctx)
{
    if (codes.planes() != 3 || !(strength >= 0.0 && strength <= 1.0) || !(noise.gain > 0.0))
        throw ArgumentError(textOf("noise reduction of %d planes, strength %g: three planes and 0 to 1 are possible",
                                   codes.planes(), strength));
    if (strength == 0.0 || codes.shape().empty())
        return;
    const Evened evened(noise);
    Thresholds threshold = bandNoise(codes, evened, ctx);
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
        const Rect felt{std::max(0, x0 - kReach), std::max(0, y0 - kReach), std::min(codes.width(), x1 + kReach),
                        std::min(codes.height(), y1 + kReach)};
        const auto take = [&](int row, const ThreeRows<const float> &mixed) {
            const int y = felt.y0 + row;
            if (y < y0 || y >= y1)
                return;
            const ptrdiff_t skip = x0 - felt.x0;
            for (int c = 0; c < 3; ++c)
                unmixRow({mixed[0] + skip, mixed[1] + skip, mixed[2] + skip}, codes.row(c, y) + x0, c, x1 - x0, evened,
                         out.row(c, y) + x0);
        };
        throughBands(felt.width(), felt.height(), threshold, rowsOf(codes, felt, evened), take);
    });
    codes = std::move(out);
}

} // namespace yolk
