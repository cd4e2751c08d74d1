#include "areas/edge_model.h"

#include "base/vectorise.h"
#include "image/mat_p.h"
#include "tone/tone_rows.h"

#include <Eigen/Dense>
#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace yolk {
namespace {

constexpr int kCell = 8;         // pixels of the scene between two places that are looked at: windows are wider
constexpr double kEvFloor = 0.3; // stops: shading and texture of one thing, and noise
constexpr double kColourFloor = 0.08;
constexpr double kLeastShare = 0.002; // of a window, for a side to be known
constexpr float kAll = -1.0f, kNothing = -4.0f;

using Features = Eigen::Matrix<double, kFeatures, 1>;
using Covariance = Eigen::Matrix<double, kFeatures, kFeatures>;

/// Weighted means in windows of a weight, of the features under it and of their products.
struct Moments {
    std::array<cv::Mat, EdgeModel::kTerms> of;
};

Moments momentsOf(const std::array<cv::Mat, kFeatures> &features, const cv::Mat &weight, int reach)
{
    Moments out;
    const cv::Size window(2 * reach + 1, 2 * reach + 1);
    int next = 0;
    const auto take = [&](const cv::Mat &values) {
        cv::boxFilter(values, out.of[size_t(next++)], CV_32F, window, {-1, -1}, true, cv::BORDER_REFLECT_101);
    };
    take(weight);
    std::array<cv::Mat, kFeatures> weighted;
    for (int i = 0; i < kFeatures; ++i) {
        weighted[size_t(i)] = weight.mul(features[size_t(i)]);
        take(weighted[size_t(i)]);
    }
    for (int i = 0; i < kFeatures; ++i)
        for (int j = i; j < kFeatures; ++j)
            take(weighted[size_t(i)].mul(features[size_t(j)]));
    return out;
}

struct Gaussian {
    double share;
    Features mean;
    Covariance inverse;
    double logDeterminant;
};

Gaussian gaussianAt(const Moments &moments, int x, int y)
{
    int next = 0;
    const auto value = [&] { return double(moments.of[size_t(next++)].at<float>(y, x)); };
    Gaussian out;
    out.share = value();
    const double over = 1.0 / std::max(out.share, 1e-9);
    for (int i = 0; i < kFeatures; ++i)
        out.mean(i) = value() * over;
    Covariance covariance;
    for (int i = 0; i < kFeatures; ++i)
        for (int j = i; j < kFeatures; ++j)
            covariance(i, j) = covariance(j, i) = value() * over - out.mean(i) * out.mean(j);
    for (int i = 0; i < kFeatures; ++i) {
        const double floor = i == 0 ? kEvFloor : kColourFloor;
        covariance(i, i) = std::max(covariance(i, i), 0.0) + floor * floor;
    }
    out.inverse = covariance.inverse();
    out.logDeterminant = std::log(std::max(covariance.determinant(), 1e-12));
    return out;
}

/// The quadratic function whose value is the logarithm of a's likelihood over b's.
std::array<float, EdgeModel::kTerms> ratioOf(const Gaussian &a, const Gaussian &b)
{
    std::array<float, EdgeModel::kTerms> out{};
    if (a.share < kLeastShare || b.share < kLeastShare)
        return out;
    const Features linear = a.inverse * a.mean - b.inverse * b.mean;
    const Covariance square = 0.5 * (b.inverse - a.inverse);
    size_t next = 0;
    out[next++] = float(
        0.5 * (b.mean.dot(b.inverse * b.mean) - a.mean.dot(a.inverse * a.mean) + b.logDeterminant - a.logDeterminant));
    for (int i = 0; i < kFeatures; ++i)
        out[next++] = float(linear(i));
    for (int i = 0; i < kFeatures; ++i)
        for (int j = i; j < kFeatures; ++j)
            out[next++] = float(square(i, j) * (i == j ? 1.0 : 2.0));
    return out;
}

/// Pixels between two places that were looked at: each term goes evenly from `first` on by `step` a unit of `share`.
YOLK_MULTIVERSION
void keepRow(const float *__restrict first, const float *__restrict step, const float *__restrict share,
             const float *__restrict e, const float *__restrict r, const float *__restrict b, int width,
             float *__restrict mask)
{
    for (int x = 0; x < width; ++x) {
        const float s = share[x];
        float q = first[0] + s * step[0];
        q += e[x] * (first[1] + s * step[1] + e[x] * (first[4] + s * step[4]) + r[x] * (first[5] + s * step[5]) +
                     b[x] * (first[6] + s * step[6]));
        q += r[x] * (first[2] + s * step[2] + r[x] * (first[7] + s * step[7]) + b[x] * (first[8] + s * step[8]));
        q += b[x] * (first[3] + s * step[3] + b[x] * (first[9] + s * step[9]));
        float t = (q - kNothing) / (kAll - kNothing);
        t = t > 0.0f ? t : 0.0f; // NaN falls to nothing
        t = t < 1.0f ? t : 1.0f;
        mask[x] *= t * t * (3.0f - 2.0f * t);
    }
}

} // namespace

EdgeModel edgeModelOf(ImageView<const float> scene, const PixelGrid &grid, ImageView<const float> meant,
                      ImageView<const float> drawn, int reach, float dark, ExecContext &ctx)
{
    const int width = scene.width(), height = scene.height();
    if (scene.planes() != 3 || meant.width() != width || meant.height() != height || drawn.shape() != meant.shape())
        throw ArgumentError("edges of an area: the scene and the masks differ in size");
    const int window = std::clamp(reach, 2, (std::min(width, height) - 1) / 2);
    EdgeModel out;
    out.dark = dark;
    if (window < 2)
        return out;
    Image<float> features({width, height, kFeatures}, Fill::Anything);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<float> ev(static_cast<size_t>(width));
        for (int y = y0; y < y1; ++y) {
            const LightRow light{scene.row(0, y), scene.row(1, y), scene.row(2, y), ev.data()};
            evRow(light.r, light.g, light.b, width, ev.data());
            float *const to[kFeatures] = {features.row(0, y), features.row(1, y), features.row(2, y)};
            featureRow(light, width, dark, to);
        }
    });
    std::array<cv::Mat, kFeatures> planes;
    for (int i = 0; i < kFeatures; ++i)
        planes[size_t(i)] = matOf(features, i);
    const int across = (width + kCell - 1) / kCell, down = (height + kCell - 1) / kCell;
    out.grid = {grid.x(0) - 0.5 * grid.stepX, grid.y(0) - 0.5 * grid.stepY, grid.stepX * kCell, grid.stepY * kCell};
    Image<float> inside(width, height, 1), beyond(width, height, 1);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            inside.row(0, y)[x] = meant.row(0, y)[x];
            const float bare = 1.0f - drawn.row(0, y)[x];
            beyond.row(0, y)[x] = bare * bare * bare;
        }
    for (int pass = 0; pass < 2; ++pass) {
        ctx.throwIfStopped();
        const Moments a = momentsOf(planes, matOf(inside), window), b = momentsOf(planes, matOf(beyond), window);
        out.terms = Image<float>({across, down, EdgeModel::kTerms}, Fill::Anything);
        for (int v = 0; v < down; ++v)
            for (int u = 0; u < across; ++u) {
                const int x = std::min(u * kCell + kCell / 2, width - 1),
                          y = std::min(v * kCell + kCell / 2, height - 1);
                const auto terms = ratioOf(gaussianAt(a, x, y), gaussianAt(b, x, y));
                for (int t = 0; t < EdgeModel::kTerms; ++t)
                    out.terms.row(t, v)[u] = terms[size_t(t)];
            }
        if (pass > 0)
            break;
        forEachBand(ctx, height, [&](int y0, int y1) {
            std::vector<float> kept(static_cast<size_t>(width));
            for (int y = y0; y < y1; ++y) {
                std::copy_n(drawn.row(0, y), width, kept.begin());
                const float *const f[kFeatures] = {features.row(0, y), features.row(1, y), features.row(2, y)};
                keepToEdges(out, grid, y, width, f, kept.data());
                for (int x = 0; x < width; ++x) {
                    inside.row(0, y)[x] = std::max(meant.row(0, y)[x], kept[size_t(x)] * kept[size_t(x)]);
                    const float bare = 1.0f - kept[size_t(x)];
                    beyond.row(0, y)[x] = bare * bare * bare;
                }
            }
        });
    }
    return out;
}

void keepToEdges(const EdgeModel &model, const PixelGrid &grid, int y, int width,
                 const float *const features[kFeatures], float *mask)
{
    if (model.terms.shape().empty())
        return;
    const int across = model.terms.width(), down = model.terms.height();
    const auto place = [](double at, int count) { return std::clamp(at - 0.5, 0.0, double(count - 1)); };
    const double v = place((grid.y(y) - model.grid.originY) / model.grid.stepY, down);
    const int above = int(v), below = std::min(above + 1, down - 1);
    const float downwards = float(v - above);
    int begin = 0, end = width; // most of a row is often not drawn over
    while (begin < end && mask[begin] == 0.0f)
        ++begin;
    while (end > begin && mask[end - 1] == 0.0f)
        --end;
    std::vector<float> share(static_cast<size_t>(width));
    for (int x = begin; x < end;) {
        const auto cellAt = [&](int pixel) {
            const double u = place((grid.x(pixel) - model.grid.originX) / model.grid.stepX, across);
            const int left = std::min(int(u), std::max(0, across - 2));
            share[size_t(pixel)] = float(u - left);
            return left;
        };
        const int left = cellAt(x);
        int next = x + 1;
        while (next < end && cellAt(next) == left)
            ++next;
        float first[EdgeModel::kTerms], step[EdgeModel::kTerms];
        const int right = std::min(left + 1, across - 1);
        for (int t = 0; t < EdgeModel::kTerms; ++t) {
            const float *a = model.terms.row(t, above), *b = model.terms.row(t, below);
            first[t] = a[left] + downwards * (b[left] - a[left]);
            step[t] = a[right] + downwards * (b[right] - a[right]) - first[t];
        }
        keepRow(first, step, share.data() + x, features[0] + x, features[1] + x, features[2] + x, next - x, mask + x);
        x = next;
    }
}

} // namespace yolk
