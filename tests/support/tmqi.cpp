#include "support/tmqi.h"

#include "colour/transfer.h"
#include "image/mat_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace yolk::test {
namespace {

constexpr double kA = 0.8012, kAlpha = 0.3046, kBeta = 0.7088; // of Q
constexpr std::array<double, 5> kScales{0.0448, 0.2856, 0.3001, 0.2363, 0.1333};
constexpr double kC1 = 0.01, kC2 = 10.0;                                    // against divisions by 0
constexpr double kMean = 115.94, kMeanSpread = 27.99;                       // of natural pictures' brightness
constexpr double kContrastA = 4.4, kContrastB = 10.1, kContrastTop = 64.29; // beta density of their contrast

double normalCdf(double x, double mean, double sigma)
{
    return 0.5 * std::erfc(-(x - mean) / (sigma * std::numbers::sqrt2));
}

cv::Mat windowed(const cv::Mat &in)
{
    cv::Mat whole;
    cv::GaussianBlur(in, whole, {11, 11}, 1.5, 1.5);
    return whole(cv::Rect(5, 5, in.cols - 10, in.rows - 10)); // only whole windows count
}

/// Mean of the local structural fidelity at one scale; `cycles` per degree.
double fidelity(const cv::Mat &scene, const cv::Mat &display, double cycles)
{
    // Contrast that is just visible at this frequency, by the contrast sensitivity of Mannos and Sakrison.
    const double sensitivity = 100.0 * 2.6 * (0.0192 + 0.114 * cycles) * std::exp(-std::pow(0.114 * cycles, 1.1));
    const double threshold = 128.0 / (1.4 * sensitivity), spread = threshold / 3.0;
    const cv::Mat meanS = windowed(scene), meanD = windowed(display);
    const cv::Mat varS = windowed(scene.mul(scene)) - meanS.mul(meanS);
    const cv::Mat varD = windowed(display.mul(display)) - meanD.mul(meanD);
    const cv::Mat both = windowed(scene.mul(display)) - meanS.mul(meanD);
    double sum = 0.0;
    for (int y = 0; y < both.rows; ++y)
        for (int x = 0; x < both.cols; ++x) {
            const double s = std::sqrt(std::max(0.0, varS.at<double>(y, x)));
            const double d = std::sqrt(std::max(0.0, varD.at<double>(y, x)));
            const double seenS = normalCdf(s, threshold, spread), seenD = normalCdf(d, threshold, spread);
            sum += (2.0 * seenS * seenD + kC1) / (seenS * seenS + seenD * seenD + kC1) * (both.at<double>(y, x) + kC2) /
                   (s * d + kC2);
        }
    return sum / double(both.total());
}

cv::Mat halved(const cv::Mat &in)
{
    cv::Mat mean, out;
    cv::blur(in, mean, {2, 2}, {0, 0}, cv::BORDER_REFLECT);
    cv::resize(mean, out, {in.cols / 2, in.rows / 2}, 0, 0, cv::INTER_NEAREST);
    return out;
}

double naturalnessOf(const cv::Mat &display)
{
    double contrast = 0.0;
    int blocks = 0;
    for (int y = 0; y + 11 <= display.rows; y += 11)
        for (int x = 0; x + 11 <= display.cols; x += 11) {
            cv::Scalar mean, deviation;
            cv::meanStdDev(display(cv::Rect(x, y, 11, 11)), mean, deviation);
            contrast += deviation[0];
            ++blocks;
        }
    const double c = contrast / blocks / kContrastTop;
    const auto beta = [](double x) { // without its constant, which falls out
        return x <= 0.0 || x >= 1.0 ? 0.0 : std::pow(x, kContrastA - 1.0) * std::pow(1.0 - x, kContrastB - 1.0);
    };
    const double mode = (kContrastA - 1.0) / (kContrastA + kContrastB - 2.0);
    const double bright = (cv::mean(display)[0] - kMean) / kMeanSpread;
    return beta(c) / beta(mode) * std::exp(-0.5 * bright * bright);
}

} // namespace

ToneQuality toneQuality(ImageView<const float> scene, ImageView<const float> coded)
{
    if (scene.shape() != coded.shape() || scene.planes() != 1 || std::min(scene.width(), scene.height()) < 176)
        throw ArgumentError(textOf("TMQI of %d x %d and %d x %d pixels: must be alike, one plane, 176 pixels at least",
                                   scene.width(), scene.height(), coded.width(), coded.height()));
    cv::Mat s, d;
    matOf(scene).convertTo(s, CV_64F);
    matOf(coded).convertTo(d, CV_64F);
    double low = 0.0, high = 0.0;
    cv::minMaxLoc(s, &low, &high);
    s = (s - low) * (4294967295.0 / std::max(high - low, 1e-30)); // the paper's scale of scenes
    ToneQuality out;
    out.naturalness = naturalnessOf(d);
    out.structure = 1.0;
    double cycles = 16.0;
    for (double weight : kScales) {
        out.structure *= std::pow(std::max(0.0, fidelity(s, d, cycles)), weight);
        cycles /= 2.0;
        s = halved(s);
        d = halved(d);
    }
    out.quality = kA * std::pow(out.structure, kAlpha) + (1.0 - kA) * std::pow(out.naturalness, kBeta);
    return out;
}

Image<float> luminancePlane(ImageView<const float> rgb)
{
    Image<float> out(rgb.width(), rgb.height(), 1);
    constexpr std::array<float, 3> kLuminance709{0.2126f, 0.7152f, 0.0722f}; // [BT709]
    for (int y = 0; y < rgb.height(); ++y)
        for (int x = 0; x < rgb.width(); ++x)
            for (int c = 0; c < 3; ++c)
                out.row(0, y)[x] += kLuminance709[size_t(c)] * rgb.row(c, y)[x];
    return out;
}

Image<float> codedPicture(ImageView<const float> displayLinear)
{
    Image<float> coded(displayLinear.shape());
    for (int c = 0; c < coded.planes(); ++c)
        for (int y = 0; y < coded.height(); ++y)
            for (int x = 0; x < coded.width(); ++x)
                coded.row(c, y)[x] =
                    float(255.0 * encodeSrgb(std::clamp(double(displayLinear.row(c, y)[x]), 0.0, 1.0)));
    return coded;
}

Image<float> codedPlane(ImageView<const float> displayLinear)
{
    return luminancePlane(codedPicture(displayLinear).view());
}

} // namespace yolk::test
