#include "support/moving_scenes.h"

#include "image/copy.h"
#include "io/radiance_file.h"
#include "support/demo_data.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>

#include <algorithm>
#include <cmath>
#include <functional>
#include <random>

namespace yolk::test {
namespace {

Image<float> background(int reduction)
{
    const Image<float> scene = readExr(demoTruth("still").toStdString()).rgb;
    Image<float> out(scene.width() / reduction, scene.height() / reduction, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x) {
                float sum = 0.0f;
                for (int v = 0; v < reduction; ++v)
                    for (int u = 0; u < reduction; ++u)
                        sum += scene.row(c, y * reduction + v)[x * reduction + u];
                out.row(c, y)[x] = sum / float(reduction * reduction);
            }
    return out;
}

/// A thing with a smooth edge of one pixel: `inside` is the distance from its rim, positive within.
struct Thing {
    std::function<double(double x, double y)> inside;
    double x, y;        ///< its middle: the texture goes with it
    double light;       ///< mean radiance
    double texture;     ///< relative to the mean
    double tint = 0.15; ///< red over blue
};

void put(Image<float> &scene, const Thing &thing)
{
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x) {
            const double alpha = std::clamp(thing.inside(x + 0.5, y + 0.5) + 0.5, 0.0, 1.0);
            if (alpha == 0.0)
                continue;
            const double u = x - thing.x, v = y - thing.y;
            const double pattern =
                0.5 * (std::sin(0.31 * u + 0.9 * std::sin(0.11 * v)) + std::sin(0.23 * v - 0.17 * u));
            const double light = thing.light * (1.0 + thing.texture * pattern);
            for (int c = 0; c < 3; ++c) {
                float &to = scene.row(c, y)[x];
                to = float(to + alpha * (light * (1.0 + thing.tint * (1 - c)) - double(to)));
            }
        }
}

std::function<double(double, double)> ellipse(double cx, double cy, double a, double b)
{
    return [=](double x, double y) {
        const double r = std::hypot((x - cx) / a, (y - cy) / b);
        return (1.0 - r) * std::min(a, b);
    };
}

void findMask(MovingScene &scene)
{
    const Image<float> &first = scene.states[0];
    scene.mask = Image<uint8_t>(first.width(), first.height(), 1);
    for (int y = 0; y < first.height(); ++y)
        for (int x = 0; x < first.width(); ++x)
            for (int c = 0; c < 3; ++c) {
                float least = INFINITY, most = 0.0f;
                for (const Image<float> &s : scene.states) {
                    least = std::min(least, s.row(c, y)[x]);
                    most = std::max(most, s.row(c, y)[x]);
                }
                if (most > 1.02f * least)
                    scene.mask.row(0, y)[x] = 255;
            }
}

} // namespace

MovingScene movingScene(Moving kind, int states, int reduction)
{
    static const char *const kNames[]{"small-fast", "large-slow", "clouds", "doorway", "leaves", "lamp"};
    const Image<float> still = background(reduction);
    const double w = still.width(), h = still.height();
    MovingScene out{kNames[size_t(kind)], {}, {}};
    for (int s = 0; s < states; ++s) {
        Image<float> scene = copyOf(still);
        const double t = states > 1 ? double(s) / (states - 1) : 0.0;
        switch (kind) {
        case Moving::SmallFast: {
            const double x = w * (0.08 + 0.15 * ((s * 2) % states)), y = h * (0.62 + 0.08 * (s % 2)), r = 0.006 * w;
            put(scene, {ellipse(x, y, r, r), x, y, 0.9, 0.4});
            break;
        }
        case Moving::LargeSlow: {
            const double x = w * (0.25 + 0.12 * t), y = h * (0.7 - 0.03 * t);
            put(scene, {ellipse(x, y, 0.13 * w, 0.16 * h), x, y, 0.25, 0.6});
            break;
        }
        case Moving::Clouds:
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < scene.height(); ++y)
                    for (int x = 0; x < scene.width(); ++x) {
                        double stops = 0.0;
                        for (int k = 0; k < 5; ++k) {
                            const double cx = w * (0.1 + 0.2 * k + 0.06 * t), cy = h * (0.25 + 0.12 * (k % 2));
                            const double r = std::hypot((x - cx) / (0.07 * w), (y - cy) / (0.08 * h));
                            stops += (k % 2 ? -0.8 : 0.9) * std::exp(-r * r);
                        }
                        scene.row(c, y)[x] *= float(std::exp2(stops));
                    }
            break;
        case Moving::Doorway: {
            const double x = w * (0.5 + 0.16 * (t - 0.5)), y = h * 0.45;
            put(scene, {ellipse(x, y, 0.02 * w, 0.12 * h), x, y, 0.6, 0.3});
            break;
        }
        case Moving::Leaves: {
            std::mt19937 places(5);
            std::uniform_real_distribution<double> any(0.0, 1.0);
            std::mt19937 wind(unsigned(77 + s));
            for (int k = 0; k < 160; ++k) {
                const double size = w * (0.006 + 0.004 * any(places));
                const double x = w * (0.05 + 0.35 * any(places)) + 0.9 * size * (2.0 * any(wind) - 1.0);
                const double y = h * (0.5 + 0.4 * any(places)) + 0.9 * size * (2.0 * any(wind) - 1.0);
                put(scene, {ellipse(x, y, size, 0.6 * size), x, y, 0.15 + 0.5 * any(places), 0.2});
            }
            break;
        }
        case Moving::Lamp: {
            const double x = w * (0.15 + 0.12 * t), y = h * 0.75, r = 0.022 * w;
            put(scene, {ellipse(x, y, r, r), x, y, 8.0, 0.5});
            break;
        }
        }
        out.states.push_back(std::move(scene));
    }
    findMask(out);
    return out;
}

MovingScene movingDemo()
{
    MovingScene out{"henhouse", {}, {}};
    const Image<float> still = readExr(demoTruth("still").toStdString()).rgb;
    out.mask = Image<uint8_t>(still.width(), still.height(), 1);
    for (int s = 0; s < 5; ++s) {
        Image<float> scene = copyOf(still);
        for (const MovingThing &thing : movingThings()) {
            demo::putOver(scene.view(), readExr(thing.scene(s).toStdString()).rgb.view(), thing.box.x, thing.box.y);
            const cv::Mat mask = cv::imread(thing.mask(s).toStdString(), cv::IMREAD_GRAYSCALE);
            for (int y = 0; y < mask.rows; ++y)
                for (int x = 0; x < mask.cols; ++x)
                    if (mask.at<uint8_t>(y, x) > 0)
                        out.mask.row(0, thing.box.y + y)[thing.box.x + x] = 255;
        }
        out.states.push_back(std::move(scene));
    }
    return out;
}

} // namespace yolk::test
