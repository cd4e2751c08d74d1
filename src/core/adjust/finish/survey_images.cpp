#include "adjust/finish/survey_images.h"

#include "colour/primaries.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {

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
