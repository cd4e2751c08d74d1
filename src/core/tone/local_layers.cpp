#include "tone/local_layers.h"

#include "base/vectorise.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace yolk {
namespace {

constexpr int kSide = 480;          // pixels of the picture that is looked at
constexpr int kCellPixels = 3;      // of it, across a cell
constexpr double kCellStops = 0.25; // coarser ones show as ripples in even gradients
// Sigma of the Gaussians in cells; a cell and the steps between cells add to them. Wide ones are found on a coarser
// grid.
struct Scale {
    double cells;
    int step;
};
constexpr std::array kScales{Scale{0.7, 1}, Scale{3.0, 1}, Scale{9.0, 4}, Scale{27.0, 8}};
constexpr float kEdgeStops = 1.5f; // s: what a difference counts for at most

YOLK_MULTIVERSION
void differenceRow(const float *__restrict light, int width, float from, float *__restrict out)
{
    constexpr float kPerEdge = 1.0f / kEdgeStops;
    for (int x = 0; x < width; ++x) {
        const float d = from - light[x], share = d * kPerEdge;
        out[x] = d / std::sqrt(1.0f + share * share);
    }
}

cv::Mat blurred(const cv::Mat &cells, const Scale &scale)
{
    cv::Mat out;
    if (scale.step == 1) {
        cv::GaussianBlur(cells, out, {}, scale.cells, scale.cells, cv::BORDER_REFLECT);
        return out;
    }
    const cv::Size small((cells.cols + scale.step - 1) / scale.step, (cells.rows + scale.step - 1) / scale.step);
    cv::Mat coarse, smooth;
    cv::resize(cells, coarse, small, 0, 0, cv::INTER_AREA);
    const double sigma = scale.cells / scale.step;
    cv::GaussianBlur(coarse, smooth, {}, sigma, sigma, cv::BORDER_REFLECT);
    cv::resize(smooth, out, cells.size(), 0, 0, cv::INTER_LINEAR);
    return out;
}

/// F of every light: planes of cells by scale, and the mean of the picture.
struct Differences {
    std::array<cv::Mat, kScales.size()> planes;
    float mean = 0.0f;
    float at(size_t scale, int row, int column) const
    {
        return scale < kScales.size() ? planes[scale].at<float>(row, column) : mean;
    }
};

/// local() of a column of cells.
void composeColumn(const std::vector<Differences> &lights, int row, int column, LightGrid &out)
{
    for (int k = 0; k < out.lights(); ++k) {
        float *to = out.at(column, row, k);
        to[0] = lights[size_t(k)].at(0, row, column);
        to[1] = 0.0f;
        for (size_t scale = 0; scale < kScales.size(); ++scale) {
            const double from = out.lightOf(out.evAt(k) - double(lights[size_t(k)].at(scale, row, column)));
            const int first = std::clamp(int(from), 0, out.lights() - 2);
            const float part = std::clamp(float(from - first), 0.0f, 1.0f);
            const Differences &a = lights[size_t(first)], &b = lights[size_t(first) + 1];
            const auto band = [&](const Differences &d) {
                return d.at(scale + 1, row, column) - d.at(scale, row, column);
            };
            to[1] += (1.0f - part) * band(a) + part * band(b);
        }
    }
}

} // namespace

double detailOfPicture(std::span<const double> quantiles, double ev)
{
    double sum = 0.0;
    for (double q : quantiles)
        sum += (ev - q) / std::hypot(1.0, (ev - q) / double(kEdgeStops));
    return quantiles.empty() ? 0.0 : sum / double(quantiles.size());
}

Image<float> shrunk(ImageView<const float> picture, int side)
{
    const double scale = std::min(1.0, double(side) / std::max(picture.width(), picture.height()));
    const int width = std::max(1, int(std::lround(picture.width() * scale)));
    const int height = std::max(1, int(std::lround(picture.height() * scale)));
    Image<float> out(width, height, picture.planes());
    for (int c = 0; c < out.planes(); ++c) {
        cv::Mat to = matOf(out.view(), c);
        cv::resize(matOf(picture, c), to, to.size(), 0, 0, cv::INTER_AREA);
    }
    return out;
}

LightGrid localLayers(ImageView<const float> ev, double lowest, double longest, ExecContext &ctx)
{
    if (ev.shape().empty() || ev.planes() != 1 || !(longest > 0.0) || !(longest < 200.0))
        throw ArgumentError(textOf("layers of %d x %d x %d over %g stops: must be one plane and up to 200 stops",
                                   ev.width(), ev.height(), ev.planes(), longest));
    Image<float> light(ev.shape());
    for (int y = 0; y < light.height(); ++y)
        for (int x = 0; x < light.width(); ++x) {
            const float v = ev.row(0, y)[x];
            light.row(0, y)[x] = v > float(lowest) ? std::min(v, float(lowest + longest)) : float(lowest);
        }
    light = shrunk(light.view(), kSide);
    const auto cellsOf = [](int pixels) { return std::max(2, (pixels + kCellPixels - 1) / kCellPixels); };
    LightGrid out(cellsOf(light.width()), cellsOf(light.height()), int(std::ceil(longest / kCellStops)) + 2, lowest,
                  kCellStops);
    const cv::Size size(out.columns(), out.rows());
    std::vector<Differences> lights(size_t(out.lights()));
    ExecContext finding = ctx.part(0.0, 0.9), composing = ctx.part(0.9, 1.0);
    forEachPart(finding, out.lights(), [&](int k, ExecContext &) {
        cv::Mat difference(light.height(), light.width(), CV_32F), cells;
        for (int y = 0; y < light.height(); ++y)
            differenceRow(light.row(0, y), light.width(), float(out.evAt(k)), difference.ptr<float>(y));
        cv::resize(difference, cells, size, 0, 0, cv::INTER_AREA);
        for (size_t s = 0; s < kScales.size(); ++s)
            lights[size_t(k)].planes[s] = blurred(cells, kScales[s]);
        lights[size_t(k)].mean = float(cv::mean(cells)[0]);
    });
    forEachPart(composing, out.rows(), [&](int row, ExecContext &) {
        for (int column = 0; column < out.columns(); ++column)
            composeColumn(lights, row, column, out);
    });
    return out;
}

} // namespace yolk
