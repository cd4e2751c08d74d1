#include "tone/local_layers.h"

#include "base/vectorise.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr int kSide = 480;          // pixels of the picture that is looked at
constexpr int kCellPixels = 3;      // of it, across a cell
constexpr double kCellStops = 0.25; // coarser ones show as ripples in even gradients
constexpr double kFineCells = 0.7;  // sigma of the Gaussians; a cell and the steps between cells add to them
constexpr double kLocalCells = 3.0, kWideCells = 9.0;
constexpr int kWideStep = 4; // the widest one is found on a grid that is coarser by this

YOLK_MULTIVERSION
void differenceRow(const float *__restrict light, int width, float from, float *__restrict out)
{
    for (int x = 0; x < width; ++x) {
        const float d = from - light[x];
        out[x] = d / (1.0f + d * d);
    }
}

cv::Mat blurred(const cv::Mat &cells, double sigma)
{
    cv::Mat out;
    cv::GaussianBlur(cells, out, {}, sigma, sigma, cv::BORDER_REFLECT);
    return out;
}

cv::Mat blurredWide(const cv::Mat &cells)
{
    const cv::Size small((cells.cols + kWideStep - 1) / kWideStep, (cells.rows + kWideStep - 1) / kWideStep);
    cv::Mat coarse, out;
    cv::resize(cells, coarse, small, 0, 0, cv::INTER_AREA);
    cv::resize(blurred(coarse, kWideCells / kWideStep), out, cells.size(), 0, 0, cv::INTER_LINEAR);
    return out;
}

} // namespace

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
    forEachPart(ctx, out.lights(), [&](int k, ExecContext &) {
        cv::Mat difference(light.height(), light.width(), CV_32F), cells;
        for (int y = 0; y < light.height(); ++y)
            differenceRow(light.row(0, y), light.width(), float(out.evAt(k)), difference.ptr<float>(y));
        cv::resize(difference, cells, size, 0, 0, cv::INTER_AREA);
        const cv::Mat fine = blurred(cells, kFineCells);
        const cv::Mat whole = 0.5 * (blurred(cells, kLocalCells) + blurredWide(cells));
        for (int r = 0; r < size.height; ++r)
            for (int c = 0; c < size.width; ++c) {
                float *to = out.at(c, r, k);
                to[0] = fine.at<float>(r, c);
                to[1] = whole.at<float>(r, c) - to[0];
            }
    });
    return out;
}

} // namespace yolk
