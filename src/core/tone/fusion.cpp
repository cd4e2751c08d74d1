#include "tone/fusion.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "tone/local_layers.h"
#include "tone/tone_curve.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
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

cv::Mat weightOf(ImageView<const float> rgb, const FusionWeights &weights)
{
    const cv::Mat r = matOf(rgb, 0), g = matOf(rgb, 1), b = matOf(rgb, 2);
    const cv::Mat grey = 0.299 * r + 0.587 * g + 0.114 * b;
    cv::Mat contrast;
    cv::Laplacian(grey, contrast, CV_32F);
    cv::Mat out(grey.size(), CV_32F);
    const auto raised = [](double base, double power) {
        return power == 1.0 ? base : power == 0.0 ? 1.0 : std::pow(base, power);
    };
    const bool all = weights.contrast == 1.0 && weights.saturation == 1.0 && weights.exposedness == 1.0;
    for (int y = 0; y < out.rows; ++y) {
        const float *red = r.ptr<float>(y), *green = g.ptr<float>(y), *blue = b.ptr<float>(y);
        const float *edge = contrast.ptr<float>(y);
        float *to = out.ptr<float>(y);
        for (int x = 0; x < out.cols; ++x) {
            const float v[3] = {red[x], green[x], blue[x]};
            const float mean = (v[0] + v[1] + v[2]) / 3.0f;
            float squares = 0.0f, off = 0.0f; // of the deviation: factors fall out, weights are normalised
            for (float c : v) {
                squares += (c - mean) * (c - mean);
                off += (c - 0.5f) * (c - 0.5f);
            }
            // Where no picture has any weight all count alike.
            constexpr float kSigma = 0.2f, kLeast = 1e-12f, kLog2E = 1.44269504f;
            const float saturation = std::sqrt(squares), exposed = quickExp2(-off * kLog2E / (2.0f * kSigma * kSigma));
            to[x] =
                kLeast + (all ? std::abs(edge[x]) * saturation * exposed
                              : float(raised(std::abs(edge[x]), weights.contrast) *
                                      raised(saturation, weights.saturation) * raised(exposed, weights.exposedness)));
        }
    }
    return out;
}

/// sRGB code of light that lies x stops over 0.18, in steps of kPerStop.
class CodeTable {
public:
    explicit CodeTable(double contrast)
    {
        for (int i = 0; i < int(codes_.size()); ++i) {
            const double stops = (kFirst + double(i) / kPerStop) * contrast;
            codes_[size_t(i)] = float(encodeSrgb(std::min(1.0, luminanceOfEv(stops))));
        }
    }
    float operator()(float stops) const
    {
        const float at = std::clamp((stops - float(kFirst)) * float(kPerStop), 0.0f, float(codes_.size()) - 1.001f);
        const size_t i = size_t(at);
        return codes_[i] + (at - float(i)) * (codes_[i + 1] - codes_[i]);
    }

private:
    static constexpr int kFirst = -16, kLast = 16, kPerStop = 32;
    std::array<float, size_t((kLast - kFirst) * kPerStop + 1)> codes_;
};

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
    const CodeTable code(std::exp2(settings.contrast / 100.0));
    std::vector<Image<float>> pictures(exposures.size());
    ExecContext exposing = ctx.part(0.0, 0.2), fusing = ctx.part(0.2, 0.9);
    forEachPart(exposing, int(exposures.size()), [&](int i, ExecContext &) {
        Image<float> &picture = pictures[size_t(i)] = Image<float>(width, height, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    picture.row(c, y)[x] = code(small.row(c, y)[x] + float(exposures[size_t(i)]));
    });
    std::vector<ImageView<const float>> views;
    for (const Image<float> &picture : pictures)
        views.push_back(std::as_const(picture).view());
    const Image<float> fused = fuseExposures(views, {}, fusing);

    constexpr float kCodes = 4096.0f, kDarkest = 1e-4f;
    std::vector<float> light(size_t(kCodes) + 1); // of the codes
    for (size_t i = 0; i < light.size(); ++i)
        light[i] = float(decodeSrgb(double(i) / double(kCodes)));
    const auto cellsOf = [](int pixels) { return std::max(2, (pixels + kCellPixels - 1) / kCellPixels); };
    const int lights = std::max(2, int(std::ceil((highest - lowest) / kCellStops)) + 1);
    LightGrid out(cellsOf(width), cellsOf(height), lights, lowest, kCellStops);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            float display = kDarkest;
            for (int c = 0; c < 3; ++c)
                display += kLuminance2020[size_t(c)] *
                           light[size_t(std::clamp(fused.row(c, y)[x], 0.0f, 1.0f) * kCodes + 0.5f)];
            const float ev = small.row(3, y)[x], value = quickLog2(display) - ev;
            const double column = (x + 0.5) / width * out.columns() - 0.5, row = (y + 0.5) / height * out.rows() - 0.5;
            const double at = out.lightOf(ev);
            const int c = std::clamp(int(std::floor(column)), 0, out.columns() - 2);
            const int r = std::clamp(int(std::floor(row)), 0, out.rows() - 2);
            const int z = std::clamp(int(at), 0, lights - 2);
            const double fc = std::clamp(column - c, 0.0, 1.0), fr = std::clamp(row - r, 0.0, 1.0),
                         fz = std::clamp(at - z, 0.0, 1.0);
            for (int i = 0; i < 8; ++i) {
                const int dc = i & 1, dr = i >> 1 & 1, dz = i >> 2;
                const float weight = float((dc ? fc : 1 - fc) * (dr ? fr : 1 - fr) * (dz ? fz : 1 - fz));
                float *cell = out.at(c + dc, r + dr, z + dz);
                cell[0] += weight * value;
                cell[1] += weight;
            }
        }
    shareWithNeighbours(out);
    for (int r = 0; r < out.rows(); ++r)
        for (int c = 0; c < out.columns(); ++c)
            fillColumn(out.at(c, r, 0), lights);
    ctx.report(1.0);
    return out;
}

} // namespace yolk
