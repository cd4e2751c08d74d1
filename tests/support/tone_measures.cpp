#include "support/tone_measures.h"

#include "colour/oklab.h"
#include "colour/transfer.h"
#include "tone/fusion.h"
#include "tone/local_layers.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>
#include <vector>

namespace yolk::test {
namespace {

double codedLuminance(ImageView<const float> display, int x, int y)
{
    double light = 0.0;
    constexpr std::array<double, 3> kLuminance709{0.2126, 0.7152, 0.0722}; // [BT709]
    for (int c = 0; c < 3; ++c)
        light += kLuminance709[size_t(c)] * double(display.row(c, y)[x]);
    return encodeSrgb(light);
}

template <class Ev> Image<float> greyScene(int width, int height, Ev &&ev)
{
    Image<float> out(width, height, 3);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const float light = float(luminanceOfEv(ev(x, y)));
            for (int c = 0; c < 3; ++c)
                out.row(c, y)[x] = light;
        }
    return out;
}

double deviation(const std::vector<double> &values)
{
    double sum = 0.0, squares = 0.0;
    for (double v : values)
        sum += v;
    const double mean = sum / double(values.size());
    for (double v : values)
        squares += (v - mean) * (v - mean);
    return std::sqrt(squares / double(values.size()));
}

/// Left and right quarters hold the ends of ten stops, so that the middle half lies within a scene.
constexpr int kWidth = 600, kHeight = 400;
constexpr double kLowEv = -7.0, kHighEv = 3.0;
const ToneStart kStart = completed({kLowEv, -2.0, kHighEv, kHighEv});

double frameEv(int x, double middle)
{
    return x < kWidth / 4 ? kLowEv : x >= kWidth - kWidth / 4 ? kHighEv : middle;
}

} // namespace

Image<float> toned(ImageView<const float> scene, const ToneSettings &settings, const ToneStart &start)
{
    ThreadRunner runner;
    ExecContext ctx(runner);
    ToneGrids grids;
    if (needsLayers(settings)) {
        grids.layers = std::make_shared<const LightGrid>(
            localLayers(evOf(scene, ctx).view(), start.lowEv - 4.0, start.peakEv - start.lowEv + 7.0, ctx));
    }
    if (needsBlend(settings))
        grids.blend = std::make_shared<const LightGrid>(blendGrid(blendScene(scene).view(), settings, start, ctx));
    return ToneMapper(settings, start, OutputSpace::Srgb, 1.0, grids)(scene, {}, ctx);
}

Image<float> stepScene(int width, int height, double stops, double degrees, double middle)
{
    const double a = degrees * std::numbers::pi / 180.0;
    return greyScene(width, height, [&](int x, int y) {
        const double across = (x + 0.5 - width / 2.0) * std::cos(a) + (y + 0.5 - height / 2.0) * std::sin(a);
        return middle + (across < 0.0 ? -stops / 2 : stops / 2);
    });
}

Halo haloOf(const ToneSettings &settings, const ToneStart &start, double stops, double degrees, double middle)
{
    const double a = degrees * std::numbers::pi / 180.0;
    const Image<float> out = toned(stepScene(kWidth, kHeight, stops, degrees, middle).view(), settings, start);
    const double far = 0.2 * std::hypot(kWidth, kHeight);
    const auto at = [&](double across) {
        return codedLuminance(out.view(), int(kWidth / 2.0 + across * std::cos(a)),
                              int(kHeight / 2.0 + across * std::sin(a)));
    };
    const double dark = at(-far), light = at(far);
    double worst = 0.0;
    for (double d = 0.5; d < far; d += 0.5)
        worst = std::max({worst, dark - at(-d), at(d) - light});
    return {100.0 * worst, 100.0 * (light - dark)};
}

double overshootPercent(const ToneSettings &settings, const ToneStart &start, double stops, double degrees)
{
    return haloOf(settings, start, stops, degrees, 0.0).overshoot;
}

double reversalPercent(const ToneSettings &settings, double stops)
{
    const Image<float> scene =
        greyScene(kWidth, 40, [&](int x, int) { return (x + 0.5) / kWidth * stops - stops / 2; });
    const Image<float> out = toned(scene.view(), settings, toneStartOf(scene.view()));
    double worst = 0.0;
    for (int y = 0; y < out.height(); ++y)
        for (int x = 1; x < out.width(); ++x)
            worst = std::max(worst, codedLuminance(out.view(), x - 1, y) - codedLuminance(out.view(), x, y));
    return 100.0 * worst;
}

double noiseGain(const ToneSettings &settings, double ev)
{
    constexpr double kNoise = 0.01;
    std::mt19937 random(11);
    std::normal_distribution<double> noise(0.0, kNoise);
    const Image<float> scene = greyScene(kWidth, kHeight, [&](int x, int) { return frameEv(x, ev) + noise(random); });
    const Image<float> out = toned(scene.view(), settings, kStart);
    std::vector<double> in, after; // from pixel to pixel: layers vary slowly over the scene
    for (int y = 0; y < kHeight; ++y)
        for (int x = kWidth / 2 - 60; x < kWidth / 2 + 60; ++x) {
            const auto between = [&](ImageView<const float> picture) {
                const float *row = picture.row(1, y) + x;
                return std::log2(double(row[1])) - std::log2(double(row[0]));
            };
            in.push_back(between(scene.view()));
            after.push_back(between(out.view()));
        }
    return deviation(after) / deviation(in);
}

double localSlope(const ToneSettings &settings, double ev)
{
    constexpr double kDifference = 0.1;
    constexpr int kPatch = 3;
    const Image<float> scene = greyScene(kWidth, kHeight, [&](int x, int y) {
        const bool patch = std::abs(x - kWidth / 2) <= kPatch / 2 && std::abs(y - kHeight / 2) <= kPatch / 2;
        return frameEv(x, ev) + (patch ? kDifference : 0.0);
    });
    const Image<float> out = toned(scene.view(), settings, kStart);
    const auto light = [&](int x) { return std::log2(double(out.row(1, kHeight / 2)[x])); };
    // The surroundings on both sides: a wide base may slope.
    return (light(kWidth / 2) - (light(kWidth / 2 - 10 * kPatch) + light(kWidth / 2 + 10 * kPatch)) / 2) / kDifference;
}

double hueTurnDegrees(const ToneSettings &settings, const ToneStart &start)
{
    const OklabSpace in(kRec2020), out(kRec709);
    double worst = 0.0;
    for (int light = 0; light < 4; ++light)
        for (int hue = 0; hue < 36; ++hue) {
            const double a = hue * std::numbers::pi / 18.0;
            const double ev = start.lowEv + (start.highEv - start.lowEv) * (light + 0.5) / 4.0;
            const double L = std::cbrt(luminanceOfEv(ev));
            const Vector3 rgb = in.toRgb({L, 0.08 * L * std::cos(a), 0.08 * L * std::sin(a)});
            Image<float> scene(8, 8, 3);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < 8; ++y)
                    std::fill_n(scene.row(c, y), 8, float(rgb[size_t(c)]));
            const Image<float> display = toned(scene.view(), settings, start);
            const Oklab after = out.fromRgb({display.row(0, 4)[4], display.row(1, 4)[4], display.row(2, 4)[4]});
            if (chromaOf(after) / after.L >= 0.05)
                worst =
                    std::max(worst, std::abs(std::remainder(std::atan2(after.b, after.a) - a, 2.0 * std::numbers::pi)) *
                                        180.0 / std::numbers::pi);
        }
    return worst;
}

} // namespace yolk::test
