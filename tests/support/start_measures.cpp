#include "support/start_measures.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "tone/local_layers.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

namespace yolk::test {
namespace {

constexpr double kLeastLight = 0x1p-12;                                // of the display
constexpr std::array<double, 3> kLuminance709{0.2126, 0.7152, 0.0722}; // [BT709]

template <class Weights> cv::Mat luminanceOf(ImageView<const float> rgb, const Weights &weights)
{
    cv::Mat out(rgb.height(), rgb.width(), CV_32F);
    for (int y = 0; y < out.rows; ++y)
        for (int x = 0; x < out.cols; ++x) {
            double light = 0.0;
            for (int c = 0; c < 3; ++c)
                light += double(weights[size_t(c)]) * double(rgb.row(c, y)[x]);
            out.at<float>(y, x) = float(light);
        }
    return out;
}

cv::Mat stopsOf(const cv::Mat &light, double least)
{
    cv::Mat out;
    cv::log(cv::max(light, least), out);
    return out / std::log(2.0);
}

cv::Mat blurred(const cv::Mat &from, double sigma)
{
    cv::Mat out;
    cv::GaussianBlur(from, out, {}, sigma, sigma, cv::BORDER_REFLECT);
    return out;
}

cv::Mat contrastOf(const cv::Mat &stops)
{
    return cv::abs(blurred(stops, 1.0) - blurred(stops, 6.0));
}

double percentileOf(std::vector<float> values, double share)
{
    const auto at = values.begin() + ptrdiff_t(share * double(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return double(*at);
}

std::vector<float> valuesOf(const cv::Mat &picture)
{
    std::vector<float> out;
    for (int y = 0; y < picture.rows; ++y)
        out.insert(out.end(), picture.ptr<float>(y), picture.ptr<float>(y) + picture.cols);
    return out;
}

double reversedShare(const cv::Mat &in, const cv::Mat &out)
{
    const double sigma = 0.04 * in.cols;
    const cv::Mat before = blurred(in, sigma), after = blurred(out, sigma);
    const int step = std::max(1, in.cols / 100);
    constexpr float kLeast = 0.1f;
    double counted = 0.0, turned = 0.0;
    const auto look = [&](float a, float b) {
        if (std::abs(a) > kLeast) {
            counted += 1.0;
            turned += (a > 0.0f) != (b > 0.0f) && std::abs(b) > 1e-3f;
        }
    };
    for (int y = 0; y < in.rows; ++y)
        for (int x = 0; x < in.cols; ++x) {
            if (x + step < in.cols)
                look(before.at<float>(y, x + step) - before.at<float>(y, x),
                     after.at<float>(y, x + step) - after.at<float>(y, x));
            if (y + step < in.rows)
                look(before.at<float>(y + step, x) - before.at<float>(y, x),
                     after.at<float>(y + step, x) - after.at<float>(y, x));
        }
    return counted > 0.0 ? turned / counted : 0.0;
}

} // namespace

StartFigures startFigures(ImageView<const float> scene, ImageView<const float> display)
{
    StartFigures out;
    const Image<float> smallScene = shrunk(scene, 500), smallDisplay = shrunk(display, 500);
    const cv::Mat light = luminanceOf(smallScene.view(), kLuminance2020);
    const cv::Mat shown = luminanceOf(smallDisplay.view(), kLuminance709);
    const cv::Mat in = stopsOf(light, 1e-12), after = stopsOf(shown, kLeastLight);
    const cv::Mat contrastIn = contrastOf(in), contrastOut = contrastOf(after);
    const std::vector<float> evs = valuesOf(in), lights = valuesOf(shown);

    const double dark = percentileOf(evs, 0.05), bright = percentileOf(evs, 0.95);
    const double roomFrom = percentileOf(evs, 0.1), roomTo = percentileOf(evs, 0.7);
    double sumIn[3] = {}, sumOut[3] = {}, room = 0.0, roomCount = 0.0;
    for (int y = 0; y < in.rows; ++y)
        for (int x = 0; x < in.cols; ++x) {
            const double v = double(in.at<float>(y, x));
            const int group = v <= dark ? 0 : v >= bright ? 2 : 1;
            sumIn[group] += double(contrastIn.at<float>(y, x));
            sumOut[group] += double(contrastOut.at<float>(y, x));
            if (v >= roomFrom && v <= roomTo) {
                room += lightnessOf(double(shown.at<float>(y, x)));
                roomCount += 1.0;
            }
        }
    const auto kept = [](double o, double i) { return i > 0.0 ? o / i : 1.0; };
    out.dark = kept(sumOut[0], sumIn[0]);
    out.rest = kept(sumOut[1], sumIn[1]);
    out.bright = kept(sumOut[2], sumIn[2]);
    out.all = kept(sumOut[0] + sumOut[1] + sumOut[2], sumIn[0] + sumIn[1] + sumIn[2]);
    out.room = room / std::max(1.0, roomCount);
    out.low = lightnessOf(percentileOf(lights, 0.01));
    out.high = lightnessOf(percentileOf(lights, 0.99));
    out.span = percentileOf(evs, 0.99) - percentileOf(evs, 0.01);
    const double range = percentileOf(evs, 0.999) - percentileOf(evs, 0.01);
    out.straightest = (std::log2(std::max(kLeastLight, percentileOf(lights, 0.999))) -
                       std::log2(std::max(kLeastLight, percentileOf(lights, 0.01)))) /
                      std::max(range, 1e-3);
    out.reversed = reversedShare(in, after);

    const cv::Mat aroundIn = blurred(contrastIn, 6.0), aroundOut = blurred(contrastOut, 6.0);
    double lost = 0.0, white = 0.0, black = 0.0;
    for (int y = 0; y < display.height(); ++y)
        for (int x = 0; x < display.width(); ++x) {
            int highest = 0;
            for (int c = 0; c < 3; ++c)
                highest = std::max(
                    highest, int(std::lround(255.0 * encodeSrgb(std::clamp(double(display.row(c, y)[x]), 0.0, 1.0)))));
            const int u = std::min(x * in.cols / display.width(), in.cols - 1);
            const int v = std::min(y * in.rows / display.height(), in.rows - 1);
            lost += highest >= 250 && aroundOut.at<float>(v, u) < 0.1f * aroundIn.at<float>(v, u);
            white += highest == 255;
            black += highest == 0;
        }
    const double pixels = double(display.shape().pixels());
    out.lost = lost / pixels;
    out.white = white / pixels;
    out.black = black / pixels;
    return out;
}

Image<float> cropRoundLight(ImageView<const float> scene, double share)
{
    const cv::Mat light = luminanceOf(scene, kLuminance2020);
    const double top = percentileOf(valuesOf(light), 0.999);
    cv::Mat bright, sums;
    cv::threshold(light, bright, top / 8.0, 1.0, cv::THRESH_BINARY);
    // The middle of the brightest place, as a blur of a twentieth of the width has it.
    cv::Point middle;
    cv::minMaxLoc(blurred(cv::min(light, top), std::max(1.0, 0.05 * light.cols)), nullptr, nullptr, nullptr, &middle);
    cv::integral(bright, sums, CV_64F);
    Rect best{0, 0, scene.width(), scene.height()};
    double bestMiss = 1e9;
    for (int side = std::min(scene.width(), scene.height()); side >= 48; side = side * 9 / 10) {
        const int x = std::clamp(middle.x - side / 2, 0, scene.width() - side);
        const int y = std::clamp(middle.y - side / 2, 0, scene.height() - side);
        const double inside = sums.at<double>(y + side, x + side) - sums.at<double>(y, x + side) -
                              sums.at<double>(y + side, x) + sums.at<double>(y, x);
        const double miss = std::abs(std::log(std::max(1.0, inside) / (share * side * side)));
        if (miss < bestMiss) {
            bestMiss = miss;
            best = {x, y, x + side, y + side};
        }
    }
    const ImageView<const float> part = scene.crop(best);
    Image<float> out(part.shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            std::copy_n(part.row(c, y), out.width(), out.row(c, y));
    return out;
}

} // namespace yolk::test
