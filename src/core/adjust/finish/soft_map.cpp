#include "adjust/finish/soft_map.h"

#include "colour/primaries.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {

SoftMap::SoftMap(Image<float> planes, double width, double height)
    : planes_(std::move(planes)), perX_(planes_.width() / width), perY_(planes_.height() / height)
{
}

void SoftMap::row(int plane, const PixelGrid &grid, int y, int width, std::vector<float> &scratch, float *out) const
{
    const double v = std::clamp(grid.y(y) * perY_ - 0.5, 0.0, planes_.height() - 1.0);
    const int above = int(v), below = std::min(above + 1, planes_.height() - 1);
    const float down = float(v - above);
    const float *first = planes_.row(plane, above), *second = planes_.row(plane, below);
    const int columns = planes_.width();
    scratch.resize(size_t(columns) + 1);
    float *line = scratch.data();
    for (int x = 0; x < columns; ++x)
        line[x] = first[x] + down * (second[x] - first[x]);
    line[columns] = line[columns - 1];
    for (int x = 0; x < width; ++x) {
        const double u = std::clamp(grid.x(x) * perX_ - 0.5, 0.0, columns - 1.0);
        const int left = int(u);
        out[x] = line[left] + float(u - left) * (line[left + 1] - line[left]);
    }
}

Image<float> blurred(ImageView<const float> image, double sigma)
{
    constexpr double kFine = 4.0; // pixels of sigma: a Gaussian that wide needs no more
    Image<float> out(image.shape(), Fill::Anything);
    const double pixels = std::max(0.3, sigma * std::max(image.width(), image.height()));
    const int fewer = std::max(1, int(pixels / kFine));
    const cv::Size small(std::max(1, image.width() / fewer), std::max(1, image.height() / fewer));
    for (int p = 0; p < image.planes(); ++p) {
        cv::Mat reduced, soft, to = matOf(out, p);
        cv::resize(matOf(image, p), reduced, small, 0, 0, cv::INTER_AREA);
        cv::GaussianBlur(reduced, soft, {}, pixels * small.width / image.width(),
                         pixels * small.height / image.height(), cv::BORDER_REPLICATE);
        cv::resize(soft, to, to.size(), 0, 0, cv::INTER_LINEAR);
    }
    return out;
}

Image<float> stopsOf(ImageView<const float> scene)
{
    constexpr float kLeast = 0x1p-20f;
    Image<float> out(scene.width(), scene.height(), 1);
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x) {
            float light = 0.0f;
            for (int c = 0; c < 3; ++c)
                light += kLuminance2020[size_t(c)] * scene.row(c, y)[x];
            out.row(0, y)[x] = std::log2(std::max(light, kLeast));
        }
    return out;
}

} // namespace yolk
