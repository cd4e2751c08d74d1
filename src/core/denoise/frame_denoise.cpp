#include "denoise/frame_denoise.h"

#include "base/vectorise.h"
#include "io/linear_codes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <vector>

namespace yolk {
namespace {

constexpr int kScales = 4;
constexpr int kReach = 2 * ((1 << kScales) - 1); // pixels beyond which nothing is felt
constexpr int kTile = 256;                       // with its surroundings it stays in the cache
/// Deviation of unit white noise in each band [StarckMurtagh1998].
constexpr std::array<double, kScales> kBandNoise{0.889, 0.200, 0.086, 0.041};

/// Codes to values whose noise has deviation 1, and back.
class Evened {
public:
    explicit Evened(const NoiseModel &noise)
        : gain_(float(noise.gain)), offset_(float(0.375 * noise.gain * noise.gain + noise.readVariance)),
          zero_(2.0f / gain_ * std::sqrt(offset_)), slope_(1.0f / std::sqrt(offset_)), table_(65536)
    {
        for (size_t i = 0; i < table_.size(); ++i) {
            const float z = linearOfCode(uint16_t(i)); // below black as a straight line, which the curve touches there
            table_[i] = z < 0.0f ? zero_ + slope_ * z : 2.0f / gain_ * std::sqrt(gain_ * z + offset_);
        }
    }
    float of(uint16_t code) const { return table_[code]; }
    float back(float t) const // as a code, not yet rounded or cut
    {
        const float half = t * gain_ * 0.5f;
        const float z = t < zero_ ? (t - zero_) / slope_ : (half * half - offset_) / gain_;
        return z * kCodeScale + float(kPedestal);
    }

private:
    float gain_, offset_, zero_, slope_;
    std::vector<float> table_;
};

/// Brightness and two differences, orthonormal, so that unit noise stays unit noise; the inverse is the transpose.
constexpr float kMix[3][3] = {{0.57735027f, 0.57735027f, 0.57735027f},
                              {0.70710678f, 0.0f, -0.70710678f},
                              {0.40824829f, -0.81649658f, 0.40824829f}};

/// A part of the frame as evened brightness and differences.
Image<float> mixedPart(const Image<uint16_t> &codes, Rect part, const Evened &evened)
{
    Image<float> out(part.width(), part.height(), 3);
    for (int y = 0; y < part.height(); ++y)
        for (int x = 0; x < part.width(); ++x) {
            float v[3];
            for (int c = 0; c < 3; ++c)
                v[c] = evened.of(codes.row(c, part.y0 + y)[part.x0 + x]);
            for (int m = 0; m < 3; ++m)
                out.row(m, y)[x] = kMix[m][0] * v[0] + kMix[m][1] * v[1] + kMix[m][2] * v[2];
        }
    return out;
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
void smoothAcross(const float *__restrict from, int step, int first, int last, float *__restrict to)
{
    for (int x = first; x < last; ++x)
        to[x] = 0.0625f * (from[x - 2 * step] + from[x + 2 * step]) + 0.25f * (from[x - step] + from[x + step]) +
                0.375f * from[x];
}

/// What stands out of the noise is added to `kept`, the smooth rest becomes the plane of the next band.
YOLK_MULTIVERSION
void shrinkRow(float *__restrict plane, const float *__restrict rest, float threshold, int width,
               float *__restrict kept)
{
    const float least = threshold * threshold;
    for (int x = 0; x < width; ++x) {
        const float d = plane[x] - rest[x], square = d * d;
        const float more = square > least ? square : least;
        kept[x] += d * (1.0f - least / (more + 1e-30f)); // nothing where the square is not more
        plane[x] = rest[x];
    }
}

YOLK_MULTIVERSION
void addRow(const float *__restrict kept, int width, float *__restrict plane)
{
    for (int x = 0; x < width; ++x)
        plane[x] += kept[x];
}

/// One plane through the cubic spline (1 4 6 4 1) / 16 with holes of `step`, edges mirrored.
void smooth(ImageView<const float> in, int step, ImageView<float> out)
{
    const int width = in.width(), height = in.height();
    const int first = std::min(2 * step, width), last = std::max(first, width - 2 * step);
    std::vector<float> row(size_t(width), 0.0f);
    for (int y = 0; y < height; ++y) {
        const auto at = [&](int v) { return in.row(0, mirrored(v, height)); };
        smoothDown(at(y - 2 * step), at(y - step), at(y), at(y + step), at(y + 2 * step), width, row.data());
        float *to = out.row(0, y);
        const auto edge = [&](int x) {
            const auto near = [&](int u) { return row[size_t(mirrored(u, width))]; };
            return 0.0625f * (near(x - 2 * step) + near(x + 2 * step)) + 0.25f * (near(x - step) + near(x + step)) +
                   0.375f * near(x);
        };
        for (int x = 0; x < first; ++x)
            to[x] = edge(x);
        smoothAcross(row.data(), step, first, last, to);
        for (int x = last; x < width; ++x)
            to[x] = edge(x);
    }
}

ImageView<float> planeOf(Image<float> &image, int plane)
{
    return {
        image.row(plane, 0), {image.width(), image.height(), 1}, image.view().rowStride(), image.view().planeStride()};
}

using Thresholds = std::array<std::array<float, kScales>, 3>;
using SeeBand = std::function<void(int mix, int scale, ImageView<const float> fine, ImageView<const float> rest)>;

/// Shrinks each band of each plane; the bands add up to the plane with its smooth rest. `see` looks at each band
/// before.
void throughBands(Image<float> &mixed, const Thresholds &thresholds, const SeeBand &see = {})
{
    Image<float> work(mixed.width(), mixed.height(), 2);
    const ImageView<float> rest = planeOf(work, 0), kept = planeOf(work, 1);
    for (int m = 0; m < 3; ++m) {
        const ImageView<float> plane = planeOf(mixed, m);
        for (int y = 0; y < mixed.height(); ++y)
            std::fill_n(kept.row(0, y), mixed.width(), 0.0f);
        for (int scale = 0; scale < kScales; ++scale) {
            smooth(plane, 1 << scale, rest);
            if (see)
                see(m, scale, plane, rest);
            for (int y = 0; y < mixed.height(); ++y)
                shrinkRow(plane.row(0, y), rest.row(0, y), thresholds[size_t(m)][size_t(scale)], mixed.width(),
                          kept.row(0, y));
        }
        for (int y = 0; y < mixed.height(); ++y)
            addRow(kept.row(0, y), mixed.width(), plane.row(0, y));
    }
}

/// The noise in each band by the median of its coefficients over some blocks spread over the frame: interpolated
/// colours have less fine noise and more coarse noise than the model says. Texture raises the median, so the model
/// bounds it.
Thresholds bandNoise(const Image<uint16_t> &codes, const Evened &evened)
{
    constexpr int kBlocks = 4, kRows = 64;
    std::array<std::array<std::vector<float>, kScales>, 3> sizes;
    const int rows = std::min(kRows, codes.height());
    for (int i = 0; i < kBlocks; ++i) {
        const int top = (codes.height() - rows) * i / (kBlocks - 1);
        Image<float> mixed = mixedPart(codes, {0, top, codes.width(), top + rows}, evened);
        throughBands(mixed, {}, [&](int m, int scale, ImageView<const float> fine, ImageView<const float> rest) {
            for (int y = 0; y < fine.height(); ++y)
                for (int x = y % 7; x < fine.width(); x += 7) // enough for a median
                    sizes[size_t(m)][size_t(scale)].push_back(std::abs(fine.row(0, y)[x] - rest.row(0, y)[x]));
        });
    }
    Thresholds out{};
    for (size_t m = 0; m < 3; ++m)
        for (size_t s = 0; s < size_t(kScales); ++s) {
            std::vector<float> &v = sizes[m][s];
            const auto middle = v.begin() + ptrdiff_t(v.size() / 2);
            std::ranges::nth_element(v, middle);
            const double measured = v.empty() ? 0.0 : 1.4826 * double(*middle);
            out[m][s] = float(std::min(measured, 1.5 * kBandNoise[s]));
        }
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
    Thresholds threshold = bandNoise(codes, evened);
    for (size_t m = 0; m < 3; ++m)
        for (float &t : threshold[m])
            t *= float(strength) * (m == 0 ? 2.5f : 3.5f);

    Image<uint16_t> out(codes.shape());
    const uint16_t clipped = codeOfLinear(0.982);
    const int across = (codes.width() + kTile - 1) / kTile, down = (codes.height() + kTile - 1) / kTile;
    forEachPart(ctx, across * down, [&](int tile, ExecContext &own) {
        own.throwIfStopped();
        const int x0 = tile % across * kTile, x1 = std::min(codes.width(), x0 + kTile);
        const int y0 = tile / across * kTile, y1 = std::min(codes.height(), y0 + kTile);
        const Rect felt{std::max(0, x0 - kReach), std::max(0, y0 - kReach), std::min(codes.width(), x1 + kReach),
                        std::min(codes.height(), y1 + kReach)};
        Image<float> mixed = mixedPart(codes, felt, evened);
        throughBands(mixed, threshold);
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x) {
                float mix[3];
                for (int m = 0; m < 3; ++m)
                    mix[m] = mixed.row(m, y - felt.y0)[x - felt.x0];
                for (int c = 0; c < 3; ++c) {
                    const uint16_t was = codes.row(c, y)[x];
                    const float t = kMix[0][c] * mix[0] + kMix[1][c] * mix[1] + kMix[2][c] * mix[2];
                    const float code = evened.back(t) + 0.5f;
                    out.row(c, y)[x] = was >= clipped ? was : uint16_t(code > 0.0f ? std::min(code, 65535.0f) : 0.0f);
                }
            }
    });
    codes = std::move(out);
}

} // namespace yolk
