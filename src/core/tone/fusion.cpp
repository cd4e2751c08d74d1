#include "tone/fusion.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "tone/local_layers.h"
#include "tone/step_table.h"
#include "tone/tone_curve.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <utility>

namespace yolk {
namespace {

constexpr int kBlendSide = 256; // pixels of the picture whose exposures are blended
constexpr int kCellPixels = 3;  // of it, across a cell of the grid
constexpr double kCellStops = 0.5;
constexpr double kExposureStops = 2.0; // at most, from one blended exposure to the next
constexpr double kLeastLight = 0x1p-20, kMostLight = 0x1p20;

using Pyramid = std::vector<cv::Mat>;

Pyramid gaussian(const cv::Mat &picture, int levels)
{
    Pyramid out{picture};
    for (int l = 0; l < levels; ++l) {
        cv::Mat half;
        cv::pyrDown(out.back(), half);
        out.push_back(half);
    }
    return out;
}

Pyramid laplacian(const cv::Mat &picture, int levels)
{
    Pyramid out = gaussian(picture, levels);
    for (size_t l = 0; l + 1 < out.size(); ++l) {
        cv::Mat larger, band; // of its own: the lowest level is the picture that was given
        cv::pyrUp(out[l + 1], larger, out[l].size());
        cv::subtract(out[l], larger, band);
        out[l] = band;
    }
    return out;
}

/// Each factor is raised and multiplied as a logarithm.
YOLK_MULTIVERSION
void weightRow(const float *__restrict r, const float *__restrict g, const float *__restrict b,
               const float *__restrict edge, int width, float contrast, float saturation, float exposedness,
               float *__restrict out)
{
    constexpr float kSigma = 0.2f, kLog2E = 1.44269504f;
    constexpr float kNothing = 1e-15f; // what the logarithm of nothing counts as
    constexpr float kLeast = 1e-12f;   // where no picture has any weight all count alike
    for (int x = 0; x < width; ++x) {
        const float mean = (r[x] + g[x] + b[x]) / 3.0f;
        const float dr = r[x] - mean, dg = g[x] - mean, db = b[x] - mean;
        const float fr = r[x] - 0.5f, fg = g[x] - 0.5f, fb = b[x] - 0.5f;
        const float deviation = 0.5f * quickLog2(dr * dr + dg * dg + db * db + kNothing * kNothing);
        const float power = contrast * quickLog2(std::abs(edge[x]) + kNothing) + saturation * deviation -
                            exposedness * (fr * fr + fg * fg + fb * fb) * kLog2E / (2.0f * kSigma * kSigma);
        out[x] = kLeast + quickExp2(power > -120.0f ? power : -120.0f); // factors fall out: weights are normalised
    }
}

cv::Mat weightOf(ImageView<const float> rgb, const FusionWeights &weights)
{
    const cv::Mat grey = 0.299 * matOf(rgb, 0) + 0.587 * matOf(rgb, 1) + 0.114 * matOf(rgb, 2);
    cv::Mat contrast, out(grey.size(), CV_32F);
    cv::Laplacian(grey, contrast, CV_32F);
    for (int y = 0; y < out.rows; ++y)
        weightRow(rgb.row(0, y), rgb.row(1, y), rgb.row(2, y), contrast.ptr<float>(y), out.cols,
                  float(weights.contrast), float(weights.saturation), float(weights.exposedness), out.ptr<float>(y));
    return out;
}

/// sRGB code of light that lies x stops over 0.18.
StepTable codeTable(double contrast)
{
    constexpr StepTable::Steps kSteps{-16.0f, 32.0f, 32 * 32 + 1};
    return {kSteps, [&](double stops) { return encodeSrgb(std::min(1.0, luminanceOfEv(stops * contrast))); }};
}

/// Value and weight of one light, then of the next.
using Float4 = float __attribute__((vector_size(16)));

YOLK_INLINE void add(Float4 value, float *to)
{
    Float4 sum;
    std::memcpy(&sum, to, sizeof sum);
    sum += value;
    std::memcpy(to, &sum, sizeof sum);
}

/// Adds to the cells round every pixel by how much its display light differs from scene light, and the weight.
void spread(ImageView<const float> fused, ImageView<const float> scene, LightGrid &to)
{
    constexpr float kCodes = 4096.0f, kDarkest = 1e-4f;
    std::vector<float> light(size_t(kCodes) + 1); // of the codes
    for (size_t i = 0; i < light.size(); ++i)
        light[i] = float(decodeSrgb(double(i) / double(kCodes)));
    struct Between {
        int first;
        float part;
    };
    const auto between = [](double at, int count) {
        const int first = std::clamp(int(at), 0, count - 2);
        return Between{first, float(std::clamp(at - first, 0.0, 1.0))};
    };
    const int width = fused.width(), height = fused.height();
    std::vector<Between> columns;
    for (int x = 0; x < width; ++x)
        columns.push_back(between((x + 0.5) / width * to.columns() - 0.5, to.columns()));
    const ptrdiff_t nextColumn = ptrdiff_t(to.lights()) * LightGrid::kValues, nextRow = nextColumn * to.columns();
    for (int y = 0; y < height; ++y) {
        const Between row = between((y + 0.5) / height * to.rows() - 0.5, to.rows());
        const float *r = fused.row(0, y), *g = fused.row(1, y), *b = fused.row(2, y), *ev = scene.row(3, y);
        const auto lightOf = [&](float code) { return light[size_t(std::clamp(code, 0.0f, 1.0f) * kCodes + 0.5f)]; };
        for (int x = 0; x < width; ++x) {
            const float display = kDarkest + kLuminance2020[0] * lightOf(r[x]) + kLuminance2020[1] * lightOf(g[x]) +
                                  kLuminance2020[2] * lightOf(b[x]);
            const float value = quickLog2(display) - ev[x];
            const Between column = columns[size_t(x)], z = between(to.lightOf(double(ev[x])), to.lights());
            const Float4 both{(1.0f - z.part) * value, 1.0f - z.part, z.part * value, z.part};
            const Float4 left = (1.0f - column.part) * both, right = column.part * both;
            float *cell = to.at(column.first, row.first, z.first);
            add((1.0f - row.part) * left, cell);
            add((1.0f - row.part) * right, cell + nextColumn);
            add(row.part * left, cell + nextRow);
            add(row.part * right, cell + nextRow + nextColumn);
        }
    }
}

/// Fills the lights of a column that no pixel had: between two that are known what lies between their values, beyond
/// them the outermost value. `sums` holds value and weight, which becomes 0.
void fillColumn(float *sums, int lights)
{
    constexpr float kKnown = 1e-3f; // of a pixel's weight
    int last = -1;
    for (int z = 0; z <= lights; ++z) {
        const bool known = z < lights && sums[2 * z + 1] > kKnown;
        if (known)
            sums[2 * z] /= sums[2 * z + 1];
        if (!known && z < lights)
            continue;
        for (int k = last + 1; k < z; ++k) {
            if (last < 0 && z == lights)
                sums[2 * k] = 0.0f;
            else if (last < 0 || z == lights)
                sums[2 * k] = sums[2 * (last < 0 ? z : last)];
            else
                sums[2 * k] = sums[2 * last] + (sums[2 * z] - sums[2 * last]) * float(k - last) / float(z - last);
        }
        last = z;
    }
    for (int z = 0; z < lights; ++z)
        sums[2 * z + 1] = 0.0f;
}

/// Cells that few pixels fell into take something of their neighbours, along x and y.
void shareWithNeighbours(LightGrid &grid)
{
    LightGrid from = grid; // as it was
    constexpr float kShare = 0.5f;
    for (int r = 0; r < grid.rows(); ++r)
        for (int c = 0; c < grid.columns(); ++c)
            for (const auto &[dc, dr] : {std::pair(-1, 0), std::pair(1, 0), std::pair(0, -1), std::pair(0, 1)}) {
                if (c + dc < 0 || c + dc >= grid.columns() || r + dr < 0 || r + dr >= grid.rows())
                    continue;
                const float *other = from.at(c + dc, r + dr, 0);
                float *own = grid.at(c, r, 0);
                for (int i = 0; i < grid.lights() * LightGrid::kValues; ++i)
                    own[i] += kShare * other[i];
            }
}

} // namespace

Image<float> fuseExposures(std::span<const ImageView<const float>> pictures, const FusionWeights &weights,
                           ExecContext &ctx)
{
    if (pictures.empty())
        throw ArgumentError("blending: no exposures");
    const Shape shape = pictures[0].shape();
    for (const auto &p : pictures)
        if (p.shape() != shape || shape.empty() || shape.planes != 3)
            throw ArgumentError(textOf("blending: exposures of %d x %d x %d and %d x %d x %d: must be alike, of three "
                                       "planes",
                                       shape.width, shape.height, shape.planes, p.width(), p.height(), p.planes()));
    const size_t count = pictures.size();
    const int levels = int(std::log2(std::min(shape.width, shape.height)));
    std::vector<cv::Mat> shares(count);
    ExecContext weighing = ctx.part(0.0, 0.3), mixing = ctx.part(0.3, 0.9);
    forEachPart(weighing, int(count),
                [&](int i, ExecContext &) { shares[size_t(i)] = weightOf(pictures[size_t(i)], weights); });
    cv::Mat sum = shares[0].clone();
    for (size_t i = 1; i < count; ++i)
        sum += shares[i];
    std::vector<std::array<Pyramid, 3>> mixed(count);
    forEachPart(mixing, int(count), [&](int i, ExecContext &) {
        const Pyramid share = gaussian(shares[size_t(i)] / sum, levels);
        for (int c = 0; c < 3; ++c) {
            Pyramid &bands = mixed[size_t(i)][size_t(c)];
            bands = laplacian(matOf(pictures[size_t(i)], c), levels);
            for (size_t l = 0; l < bands.size(); ++l)
                bands[l] = bands[l].mul(share[l]);
        }
    });
    Image<float> out(shape);
    for (size_t c = 0; c < 3; ++c) {
        cv::Mat whole;
        for (int l = levels; l >= 0; --l) {
            cv::Mat band = mixed[0][c][size_t(l)].clone();
            for (size_t i = 1; i < count; ++i)
                band += mixed[i][c][size_t(l)];
            if (!whole.empty()) {
                cv::Mat larger;
                cv::pyrUp(whole, larger, band.size());
                band += larger;
            }
            whole = band;
        }
        whole.copyTo(matOf(out.view(), int(c)));
    }
    ctx.report(1.0);
    return out;
}

std::vector<double> blendedExposures(const ToneSettings &settings, const ToneStart &start)
{
    // Middle grey for the average of the scene, for its brightest and for its darkest light.
    const double share = settings.range / 100.0;
    const double darkest = settings.exposure - share * std::max(0.0, start.peakEv + settings.exposure);
    const double brightest = settings.exposure + share * std::max(0.0, -start.lowEv - settings.exposure);
    const int count = int(std::ceil((brightest - darkest) / kExposureStops)) + 1;
    std::vector<double> out;
    for (int i = 0; i < count; ++i)
        out.push_back(count == 1 ? settings.exposure : darkest + (brightest - darkest) * i / (count - 1));
    return out;
}

Image<float> blendScene(ImageView<const float> scene)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(
            textOf("blending of %d x %d x %d: must have three planes", scene.width(), scene.height(), scene.planes()));
    const Image<float> small = shrunk(scene, kBlendSide);
    Image<float> out(small.width(), small.height(), 4);
    const auto stopsOf = [](float light) {
        return float(evOfLuminance(std::clamp(light > 0.0f ? double(light) : 0.0, kLeastLight, kMostLight)));
    };
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            float luminance = 0.0f;
            for (int c = 0; c < 3; ++c) {
                luminance += kLuminance2020[size_t(c)] * small.row(c, y)[x];
                out.row(c, y)[x] = stopsOf(small.row(c, y)[x]);
            }
            out.row(3, y)[x] = stopsOf(luminance);
        }
    return out;
}

LightGrid blendGrid(ImageView<const float> small, const ToneSettings &settings, const ToneStart &start,
                    ExecContext &ctx)
{
    if (small.shape().empty() || small.planes() != 4)
        throw ArgumentError(
            textOf("blending of %d x %d x %d: must have four planes", small.width(), small.height(), small.planes()));
    const int width = small.width(), height = small.height();
    double lowest = 1e9, highest = -1e9;
    for (int y = 0; y < height; ++y) {
        const auto [least, most] = std::minmax_element(small.row(3, y), small.row(3, y) + width);
        lowest = std::min(lowest, double(*least));
        highest = std::max(highest, double(*most));
    }
    const std::vector<double> exposures = blendedExposures(settings, start);
    const StepTable codes = codeTable(std::exp2(settings.contrast / 100.0));
    std::vector<Image<float>> pictures(exposures.size());
    ExecContext exposing = ctx.part(0.0, 0.2), fusing = ctx.part(0.2, 0.9);
    forEachPart(exposing, int(exposures.size()), [&](int i, ExecContext &) {
        Image<float> &picture = pictures[size_t(i)] = Image<float>(width, height, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < height; ++y)
                codes.lookUp({small.row(c, y), size_t(width)}, float(exposures[size_t(i)]), picture.row(c, y));
    });
    std::vector<ImageView<const float>> views;
    for (const Image<float> &picture : pictures)
        views.push_back(std::as_const(picture).view());
    const Image<float> fused = fuseExposures(views, {}, fusing);

    const auto cellsOf = [](int pixels) { return std::max(2, (pixels + kCellPixels - 1) / kCellPixels); };
    const int lights = std::max(2, int(std::ceil((highest - lowest) / kCellStops)) + 1);
    LightGrid out(cellsOf(width), cellsOf(height), lights, lowest, kCellStops);
    spread(fused.view(), small, out);
    shareWithNeighbours(out);
    for (int r = 0; r < out.rows(); ++r)
        for (int c = 0; c < out.columns(); ++c)
            fillColumn(out.at(c, r, 0), lights);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
