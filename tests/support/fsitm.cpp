#include "support/fsitm.h"

#include "image/mat_p.h"

#include <opencv2/core.hpp>

#include <algorithm>
#include <cmath>

namespace yolk::test {
namespace {

/// Where even log-Gabor filters of both scales together respond above 0.
cv::Mat positive(const cv::Mat &plane)
{
    constexpr double kWavelengths[] = {8.0, 64.0}, kSigma = 0.65;
    cv::Mat spectrum, out;
    cv::dft(plane, spectrum, cv::DFT_COMPLEX_OUTPUT);
    for (int y = 0; y < spectrum.rows; ++y)
        for (int x = 0; x < spectrum.cols; ++x) {
            const double u = double(x <= spectrum.cols / 2 ? x : x - spectrum.cols) / spectrum.cols;
            const double v = double(y <= spectrum.rows / 2 ? y : y - spectrum.rows) / spectrum.rows;
            const double f = std::hypot(u, v);
            double gain = 0.0;
            for (const double wavelength : kWavelengths)
                if (f > 0.0)
                    gain += std::exp(-std::pow(std::log(f * wavelength), 2) / (2.0 * std::pow(std::log(kSigma), 2)));
            spectrum.at<cv::Vec2f>(y, x) *= float(gain);
        }
    cv::idft(spectrum, out, cv::DFT_REAL_OUTPUT | cv::DFT_SCALE);
    return out > 0.0;
}

double alike(const cv::Mat &a, const cv::Mat &b)
{
    return 1.0 - cv::countNonZero(a != b) / double(a.total());
}

} // namespace

double featureSimilarity(ImageView<const float> scene, ImageView<const float> coded)
{
    if (scene.shape() != coded.shape() || scene.planes() != 3 || scene.shape().empty())
        throw ArgumentError("feature similarity: two pictures of three planes and one size");
    constexpr double kOfLogarithm = 0.8;
    double sum = 0.0;
    for (int c = 0; c < 3; ++c) {
        cv::Mat light = matOf(scene, c).clone(), logarithm;
        double most = 0.0;
        cv::minMaxLoc(light, nullptr, &most);
        cv::log(cv::max(light, std::max(most, 1e-30) * 1e-8), logarithm);
        const cv::Mat shown = positive(matOf(coded, c));
        sum += kOfLogarithm * alike(positive(logarithm), shown) + (1.0 - kOfLogarithm) * alike(positive(light), shown);
    }
    return sum / 3.0;
}

} // namespace yolk::test
