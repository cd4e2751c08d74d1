#include "denoise/frame_denoise.h"

#include "io/linear_codes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kScales = 4;
constexpr int kReach = 2 * ((1 << kScales) - 1); // rows beyond which nothing is felt
constexpr int kBlockRows = 192;
/// Deviation of unit white noise in each band [StarckMurtagh1998].
constexpr std::array<double, kScales> kBandNoise{0.889, 0.200, 0.086, 0.041};

/// To values whose noise has deviation 1, and back.
class Evened {
public:
    explicit Evened(const NoiseModel &noise)
        : gain_(noise.gain), offset_(0.375 * noise.gain * noise.gain + noise.readVariance),
          zero_(2.0 / gain_ * std::sqrt(offset_)), slope_(1.0 / std::sqrt(offset_))
    {
    }
    float of(float z) const // below black as a straight line, which the curve touches there
    {
        return float(z < 0.0f ? zero_ + slope_ * double(z) : 2.0 / gain_ * std::sqrt(gain_ * double(z) + offset_));
    }
    float back(float t) const
    {
        const double half = double(t) * gain_ / 2.0;
        return float(double(t) < zero_ ? (double(t) - zero_) / slope_ : (half * half - offset_) / gain_);
    }

private:
    double gain_, offset_, zero_, slope_;
};

/// Brightness and two differences, orthonormal, so that unit noise stays unit noise; the inverse is the transpose.
constexpr float kMix[3][3] = {{0.57735027f, 0.57735027f, 0.57735027f},
                              {0.70710678f, 0.0f, -0.70710678f},
                              {0.40824829f, -0.81649658f, 0.40824829f}};

/// Rows [first, first + height) of the frame as evened brightness and differences.
Image<float> mixedRows(const Image<uint16_t> &codes, int first, int height, const Evened &evened)
{
    Image<float> out(codes.width(), height, 3);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < codes.width(); ++x) {
            float v[3];
            for (int c = 0; c < 3; ++c)
                v[c] = evened.of(linearOfCode(codes.row(c, first + y)[x]));
            for (int m = 0; m < 3; ++m)
                out.row(m, y)[x] = kMix[m][0] * v[0] + kMix[m][1] * v[1] + kMix[m][2] * v[2];
        }
    return out;
}

/// One plane through the cubic spline (1 4 6 4 1) / 16 with holes of `step`, edges mirrored.
void smooth(ImageView<const float> in, int step, ImageView<float> rows, ImageView<float> out)
{
    const int width = in.width(), height = in.height();
    const auto mirrored = [](int i, int n) {
        i = i < 0 ? -i : i;
        i = i >= n ? 2 * (n - 1) - i : i;
        return std::clamp(i, 0, n - 1);
    };
    for (int y = 0; y < height; ++y) {
        const float *a = in.row(0, mirrored(y - 2 * step, height)), *b = in.row(0, mirrored(y - step, height)),
                    *c = in.row(0, y), *d = in.row(0, mirrored(y + step, height)),
                    *e = in.row(0, mirrored(y + 2 * step, height));
        float *to = rows.row(0, y);
        for (int x = 0; x < width; ++x)
            to[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
    }
    for (int y = 0; y < height; ++y) {
        const float *from = rows.row(0, y);
        float *to = out.row(0, y);
        const auto at = [&](int x) { return from[mirrored(x, width)]; };
        const auto edge = [&](int x) {
            return 0.0625f * (at(x - 2 * step) + at(x + 2 * step)) + 0.25f * (at(x - step) + at(x + step)) +
                   0.375f * from[x];
        };
        const int inner = std::min(2 * step, width), last = std::max(inner, width - 2 * step);
        for (int x = 0; x < inner; ++x)
            to[x] = edge(x);
        for (int x = inner; x < last; ++x)
            to[x] = 0.0625f * (from[x - 2 * step] + from[x + 2 * step]) + 0.25f * (from[x - step] + from[x + step]) +
                    0.375f * from[x];
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

/// Calls shrink(mix, scale, band) for each band of each plane; the bands add up to the plane with its smooth rest.
template <class Shrink> void throughBands(Image<float> &mixed, Shrink &&shrink)
{
    Image<float> work(mixed.width(), mixed.height(), 3); // smooth, rows, kept
    for (int m = 0; m < 3; ++m) {
        ImageView<float> plane = planeOf(mixed, m), soft = planeOf(work, 0), rows = planeOf(work, 1),
                         kept = planeOf(work, 2);
        for (int y = 0; y < mixed.height(); ++y)
            std::fill_n(kept.row(0, y), mixed.width(), 0.0f);
        for (int scale = 0; scale < kScales; ++scale) {
            smooth(plane, 1 << scale, rows, soft);
            for (int y = 0; y < mixed.height(); ++y) {
                float *fine = plane.row(0, y), *rest = soft.row(0, y), *sum = kept.row(0, y);
                for (int x = 0; x < mixed.width(); ++x) {
                    sum[x] += shrink(m, scale, fine[x] - rest[x]);
                    fine[x] = rest[x];
                }
            }
        }
        for (int y = 0; y < mixed.height(); ++y)
            for (int x = 0; x < mixed.width(); ++x)
                plane.row(0, y)[x] += kept.row(0, y)[x];
    }
}

/// The noise in each band by the median of its coefficients over some blocks spread over the frame: interpolated colours
/// have less fine noise and more coarse noise than the model says. Texture raises the median, so the model bounds it.
Thresholds bandNoise(const Image<uint16_t> &codes, const Evened &evened)
{
    constexpr int kBlocks = 4, kRows = 64;
    std::array<std::array<std::vector<float>, kScales>, 3> sizes;
    const int rows = std::min(kRows, codes.height());
    for (int i = 0; i < kBlocks; ++i) {
        Image<float> mixed = mixedRows(codes, (codes.height() - rows) * i / std::max(1, kBlocks - 1), rows, evened);
        size_t n = 0;
        throughBands(mixed, [&](int m, int scale, float d) {
            if (++n % 7 == 0)
                sizes[size_t(m)][size_t(scale)].push_back(std::abs(d));
            return d;
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
    const int blocks = (codes.height() + kBlockRows - 1) / kBlockRows;
    forEachPart(ctx, blocks, [&](int block, ExecContext &own) {
        own.throwIfStopped();
        const int y0 = block * kBlockRows, y1 = std::min(codes.height(), y0 + kBlockRows);
        const int first = std::max(0, y0 - kReach), last = std::min(codes.height(), y1 + kReach);
        Image<float> mixed = mixedRows(codes, first, last - first, evened);
        throughBands(mixed, [&](int m, int scale, float d) {
            const float t = threshold[size_t(m)][size_t(scale)], square = d * d;
            return square > t * t ? d * (1.0f - t * t / square) : 0.0f;
        });
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < codes.width(); ++x) {
                const float mix[3] = {mixed.row(0, y - first)[x], mixed.row(1, y - first)[x],
                                      mixed.row(2, y - first)[x]};
                for (int c = 0; c < 3; ++c) {
                    const uint16_t was = codes.row(c, y)[x];
                    const float t = kMix[0][c] * mix[0] + kMix[1][c] * mix[1] + kMix[2][c] * mix[2];
                    out.row(c, y)[x] = was >= clipped ? was : codeOfLinear(double(evened.back(t)));
                }
            }
    });
    codes = std::move(out);
}

} // namespace yolk
