#include "adjust/finish/soft_map.h"

#include "base/vectorise.h"
#include "colour/primaries.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void mixRow(const float *__restrict first, const float *__restrict second, float share, int width,
            float *__restrict out)
{
    for (int x = 0; x < width; ++x)
        out[x] = first[x] + share * (second[x] - first[x]);
}

YOLK_MULTIVERSION
void betweenRow(const float *__restrict line, const int *__restrict left, const float *__restrict share, int width,
                float *__restrict out)
{
    for (int x = 0; x < width; ++x) {
        const float before = line[left[x]];
        out[x] = before + share[x] * (line[left[x] + 1] - before);
    }
}

} // namespace

SoftMap::SoftMap(Image<float> planes, double width, double height)
    : planes_(std::move(planes)), perX_(planes_.width() / width), perY_(planes_.height() / height)
{
}

SoftMap::Rows::Rows(const SoftMap &map, const PixelGrid &grid, int width)
    : map_(map), grid_(grid), left_(size_t(width)), share_(size_t(width)), line_(size_t(map.planes_.width()) + 1)
{
    for (size_t x = 0; x < left_.size(); ++x) {
        const double u = std::clamp(grid.x(int(x)) * map.perX_ - 0.5, 0.0, map.planes_.width() - 1.0);
        left_[x] = int(u);
        share_[x] = float(u - left_[x]);
    }
}

void SoftMap::Rows::read(int plane, int y, float *out)
{
    const Image<float> &planes = map_.planes_;
    const double v = std::clamp(grid_.y(y) * map_.perY_ - 0.5, 0.0, planes.height() - 1.0);
    const int above = int(v), below = std::min(above + 1, planes.height() - 1);
    mixRow(planes.row(plane, above), planes.row(plane, below), float(v - above), planes.width(), line_.data());
    line_.back() = line_[line_.size() - 2];
    betweenRow(line_.data(), left_.data(), share_.data(), int(left_.size()), out);
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
