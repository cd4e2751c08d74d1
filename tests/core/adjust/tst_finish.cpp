// The adjustments of the Finish step, each against what its header says.
#include "adjust/adjustment_list.h"
#include "colour/oklab.h"
#include "colour/oklab_rows.h"
#include "colour/transfer.h"
#include "image/copy.h"
#include "support/compare.h"
#include "support/drawn.h"
#include "support/synthetic.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>
#include <numeric>
#include <random>

using namespace yolk;

namespace {

using test::drawn;

/// The same noise everywhere.
class EvenNoise : public NoiseField {
public:
    explicit EvenNoise(double deviation) : variance_(float(deviation * deviation)) {}
    void fill(const PixelGrid &, int, int width, float *const variance[3]) const override
    {
        for (int c = 0; c < 3; ++c)
            std::fill_n(variance[c], width, variance_);
    }

private:
    float variance_;
};

Survey surveyOf(const Image<float> &picture, double noise = 0.0)
{
    const double width = picture.width(), height = picture.height();
    return {picture.view(), width,
            height,         [=](double x, double y) { return Point{x / width, y / height}; },
            width / height, noise > 0.0 ? std::make_shared<EvenNoise>(noise) : nullptr};
}

AdjustmentPtr informed(const AdjustmentPtr &made, const Survey &survey)
{
    return made && made->surveys() ? made->surveyed(survey) : made;
}

/// An area of a picture through an adjustment; beyond the picture its edge repeats.
Image<float> areaThrough(const Adjustment &a, const Image<float> &picture, const Rect &area,
                         const PixelGrid &whole = {})
{
    const int reach = a.context(whole.scale());
    Image<float> in(area.width() + 2 * reach, area.height() + 2 * reach, 3), out(area.width(), area.height(), 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < in.height(); ++y)
            for (int x = 0; x < in.width(); ++x)
                in.row(c, y)[x] = picture.row(
                    c, std::clamp(area.y0 + y - reach, 0,
                                  picture.height() - 1))[std::clamp(area.x0 + x - reach, 0, picture.width() - 1)];
    a.apply(in.view(), out.view(), whole.from(area.x0, area.y0));
    return out;
}

Image<float> through(const AdjustmentPtr &a, const Image<float> &picture)
{
    return a ? areaThrough(*a, picture, {0, 0, picture.width(), picture.height()}) : copyOf(picture);
}

double mean(const Image<float> &image, const Rect &area, int plane = 1)
{
    double sum = 0.0;
    for (int y = area.y0; y < area.y1; ++y)
        sum += std::accumulate(image.row(plane, y) + area.x0, image.row(plane, y) + area.x1, 0.0);
    return sum / (double(area.width()) * area.height());
}

double deviation(const Image<float> &image, const Rect &area, int plane = 1)
{
    const double middle = mean(image, area, plane);
    double sum = 0.0;
    for (int y = area.y0; y < area.y1; ++y)
        for (int x = area.x0; x < area.x1; ++x)
            sum += std::pow(double(image.row(plane, y)[x]) - middle, 2.0);
    return std::sqrt(sum / (double(area.width()) * area.height()));
}

double psnr(const Image<float> &got, const Image<float> &truth, const Rect &area)
{
    double sum = 0.0;
    for (int c = 0; c < 3; ++c)
        for (int y = area.y0; y < area.y1; ++y)
            for (int x = area.x0; x < area.x1; ++x)
                sum += std::pow(double(got.row(c, y)[x]) - double(truth.row(c, y)[x]), 2.0);
    return -10.0 * std::log10(sum / (3.0 * area.width() * area.height()));
}

Image<float> noisy(const Image<float> &clean, double sigma)
{
    std::mt19937 random(7);
    std::normal_distribution<float> noise(0.0f, float(sigma));
    Image<float> out = copyOf(clean);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] += noise(random);
    return out;
}

/// The frequency at which an edge, blurred by a sigma of one pixel and slanted by 5 degrees, keeps half of its contrast;
/// cycles a pixel. Source: the method of ISO 12233 (from memory), with the slant known.
double mtf50(const Image<float> &edge, int middleX, int middleY)
{
    constexpr double kOver = 4.0, kSlope = 0.0874887; // bins a pixel; tangent of 5 degrees
    constexpr int kHalf = 24;
    std::vector<double> sums(size_t(2 * kHalf * kOver)), counts(sums.size());
    for (int y = middleY - 40; y < middleY + 40; ++y)
        for (int x = middleX - kHalf; x < middleX + kHalf; ++x) {
            const double across = (x - middleX - (y - middleY) * kSlope) * std::cos(std::atan(kSlope));
            const int bin = int(std::floor((across + kHalf) * kOver));
            if (bin >= 0 && bin < int(sums.size())) {
                sums[size_t(bin)] += double(edge.row(1, y)[x]);
                ++counts[size_t(bin)];
            }
        }
    std::vector<double> line;
    for (size_t i = 8; i + 9 < sums.size(); ++i)
        line.push_back(sums[i + 1] / counts[i + 1] - sums[i] / counts[i]);
    const auto contrastAt = [&](double frequency) {
        double re = 0.0, im = 0.0;
        for (size_t i = 0; i < line.size(); ++i) {
            const double phase = 2.0 * std::numbers::pi * frequency * double(i) / kOver;
            re += line[i] * std::cos(phase);
            im += line[i] * std::sin(phase);
        }
        return std::hypot(re, im);
    };
    const double whole = contrastAt(0.0);
    double f = 0.01;
    while (f < 1.0 && contrastAt(f) > 0.5 * whole)
        f += 0.001;
    return f;
}

Image<float> slantedEdge(float dark, float light)
{
    return drawn(200, 160, [&](int, int x, int y) {
        const double across = (x - 100 - (y - 80) * 0.0874887) * std::cos(std::atan(0.0874887));
        // In square roots of light, which is what sharpness works on.
        const double share = 0.5 * std::erfc(-across / std::sqrt(2.0));
        const double root = std::sqrt(dark) + share * (std::sqrt(light) - std::sqrt(dark));
        return float(root * root);
    });
}

Image<float> rootsOf(const Image<float> &light)
{
    return drawn(light.width(), light.height(), [&](int c, int x, int y) { return std::sqrt(light.row(c, y)[x]); });
}

} // namespace

class TestFinish : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void neutralIsNothing()
    {
        QVERIFY(!NoiseReduction::make({}) && !Haze::make({}) && !Sharpness::make({}) && !Glow::make({}));
        QVERIFY(!DeepSky::make({}) && !WarmLight::make({}) && !Vignette::make({}) && !Grain::make({}));
    }
    void tilesAreTheSameBits_data()
    {
        QTest::addColumn<int>("which");
        int i = 0;
        for (const char *name : {"noise", "haze", "sharpness", "glow", "warm light", "vignette", "grain"})
            QTest::newRow(name) << i++;
    }
    void tilesAreTheSameBits()
    {
        QFETCH(int, which);
        const std::vector<AdjustmentPtr> all{NoiseReduction::make(NoiseReductionSettings{80, 80, 20}),
                                             Haze::make(HazeSettings{70, 60}),
                                             Sharpness::make(SharpnessSettings{80, 1.3, 10}),
                                             Glow::make(GlowSettings{80, 60, 30}),
                                             WarmLight::make(WarmLightSettings{80}),
                                             Vignette::make(VignetteSettings{-2, 1, 50, 40, 30, 40, 55}),
                                             Grain::make(GrainSettings{60, 40})};
        const Image<float> picture = noisy(test::grainyScene(160, 120, 0.02, 5), 0.01);
        const AdjustmentPtr a = informed(all[size_t(which)], surveyOf(picture, 0.01));
        QVERIFY(a);
        const Image<float> whole = through(a, picture);
        double most = 0.0;
        for (const Rect &area : {Rect{0, 0, 37, 120}, Rect{37, 5, 101, 6}, Rect{101, 64, 160, 120}}) {
            const Image<float> part = areaThrough(*a, picture, area);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < part.height(); ++y)
                    for (int x = 0; x < part.width(); ++x) {
                        QCOMPARE(part.row(c, y)[x], whole.row(c, y + area.y0)[x + area.x0]);
                        most = std::max(most,
                                        double(std::abs(part.row(c, y)[x] - picture.row(c, y + area.y0)[x + area.x0])));
                    }
        }
        QVERIFY2(most > 0.005, "it does something");
    }
    void noiseGoesAndEdgesStay()
    {
        // A dark wall with an edge and slow shading, noise a sixth of its light.
        constexpr double kSigma = 0.004;
        const Image<float> clean = drawn(240, 200, [](int c, int x, int y) {
            const float shade = 0.024f + 0.004f * std::sin(float(x + c * 20) / 30.0f) * std::cos(float(y) / 40.0f);
            return x < 120 ? shade : 2.5f * shade;
        });
        const Image<float> shot = noisy(clean, kSigma);
        const AdjustmentPtr a =
            informed(NoiseReduction::make(NoiseReductionSettings{100, 100, 50}), surveyOf(shot, kSigma));
        const Image<float> got = through(a, shot);
        const Rect inside{20, 20, 220, 180};
        const double gain = psnr(got, clean, inside) - psnr(shot, clean, inside);
        qInfo("gain %.2f dB", gain);
        QVERIFY(gain >= 6.0);
        const auto contrast = [&](const Image<float> &p) {
            return mean(p, {121, 20, 124, 180}) - mean(p, {116, 20, 119, 180});
        };
        QVERIFY2(contrast(got) > 0.97 * contrast(clean), qPrintable(QString::number(contrast(got) / contrast(clean))));
        QVERIFY(std::abs(mean(got, inside) / mean(clean, inside) - 1.0) < 0.01);
    }
    void cleanMergesStay()
    {
        const Image<float> clean = test::grainyScene(200, 160, 0.02, 6);
        const Image<float> got =
            through(informed(NoiseReduction::make(NoiseReductionSettings{100, 100, 50}), surveyOf(clean, 2e-6)), clean);
        QVERIFY(psnr(got, clean, {0, 0, 200, 160}) > 70.0);
        QVERIFY2(!informed(NoiseReduction::make(NoiseReductionSettings{100, 100, 50}), surveyOf(clean)),
                 "nothing where the noise is not known");
    }
    void noiseIsOfTheScale()
    {
        const AdjustmentPtr a = informed(NoiseReduction::make(NoiseReductionSettings{100, 100, 0}),
                                         surveyOf(test::grainyScene(64, 48, 0.02, 3), 0.01));
        QVERIFY(a->context(1.0) > 0 && a->context(0.5) > 0 && a->context(2.0) == 2 * a->context(1.0));
        QCOMPARE(a->context(0.4), 0); // smaller views do not show it
    }
    void hazeIsTakenAway()
    {
        // A textured ground near, hills far behind a veil that lets 0.4 through, under air of light 2; shadows that let
        // the darkest channel speak, as the method wants.
        constexpr float kAir = 2.0f, kThrough = 0.4f;
        const Image<float> clear = drawn(320, 240, [](int c, int x, int y) {
            const bool dark = (x / 6 + y / 6) % 2 == 0;
            return (dark ? 0.02f : 0.5f) * (c == 1 ? 1.0f : 0.8f);
        });
        const auto isFar = [](int y) { return y >= 40 && y < 130; };
        const Image<float> shot = drawn(320, 240, [&](int c, int x, int y) {
            if (y < 40)
                return kAir; // the sky
            return isFar(y) ? clear.row(c, y)[x] * kThrough + kAir * (1.0f - kThrough) : clear.row(c, y)[x];
        });
        const AdjustmentPtr a = informed(Haze::make(HazeSettings{100, 100}), surveyOf(shot));
        const Image<float> got = through(a, shot);
        const Rect far{60, 76, 260, 96}, near{60, 160, 260, 220};
        const double contrast = deviation(got, far) / deviation(clear, far);
        qInfo("contrast of the far layer %.3f of the truth, %.3f before", contrast,
              deviation(shot, far) / deviation(clear, far));
        QVERIFY2(std::abs(contrast - 1.0) < 0.15, qPrintable(QString::number(contrast)));
        QVERIFY(std::abs(deviation(got, near) / deviation(clear, near) - 1.0) < 0.1);
        // Half of it, and more of it.
        const Image<float> half = through(informed(Haze::make(HazeSettings{50, 100}), surveyOf(shot)), shot);
        QVERIFY(deviation(half, far) < 0.95 * deviation(got, far) &&
                deviation(half, far) > 1.05 * deviation(shot, far));
        const Image<float> thicker = through(informed(Haze::make(HazeSettings{-50, 100}), surveyOf(shot)), shot);
        QVERIFY(deviation(thicker, far) < 0.9 * deviation(shot, far));
        QVERIFY(thicker.row(1, 180)[160] > 1.5f * shot.row(1, 180)[160] ||
                thicker.row(1, 180)[166] > 1.5f * shot.row(1, 180)[166]);
    }
    void dotsDoNotBendHaze()
    {
        // A sky that brightens to the horizon, whose last rows are as bright as the air; a star and a dead pixel in it.
        const auto sky = [](int c, int, int y) {
            return y > 200 ? 1.0f : (0.4f + 0.002f * float(y)) * (c == 2 ? 1.1f : 1.0f);
        };
        const Image<float> plain = drawn(320, 240, sky);
        Image<float> dotted = drawn(320, 240, sky);
        for (int c = 0; c < 3; ++c) {
            dotted.row(c, 80)[100] = 4096.0f;
            dotted.row(c, 90)[240] = 0.0f;
        }
        const Image<float> wanted = through(informed(Haze::make(HazeSettings{100, 100}), surveyOf(plain)), plain),
                           got = through(informed(Haze::make(HazeSettings{100, 100}), surveyOf(dotted)), dotted);
        QVERIFY(wanted.row(0, 80)[160] < 0.8f * plain.row(0, 80)[160]);
        double most = 0.0;
        for (int y = 0; y < 240; ++y)
            for (int x = 0; x < 320; ++x)
                if (std::hypot(x - 100, y - 80) > 3.0 && std::hypot(x - 240, y - 90) > 3.0)
                    most = std::max(most, double(std::abs(got.row(0, y)[x] / wanted.row(0, y)[x] - 1.0f)));
        QVERIFY2(most < 0.02, qPrintable(QString::number(most)));
    }
    void sharpnessRaisesDetailWithinLimits_data()
    {
        QTest::addColumn<double>("strength");
        QTest::addColumn<double>("overshoot");
        QTest::newRow("50") << 50.0 << 0.05;
        QTest::newRow("100") << 100.0 << 0.10;
    }
    void sharpnessRaisesDetailWithinLimits()
    {
        QFETCH(double, strength);
        QFETCH(double, overshoot);
        const Image<float> edge = slantedEdge(0.04f, 0.36f);
        const Image<float> got = through(Sharpness::make(SharpnessSettings{strength, 1.0, 30}), edge);
        const Image<float> before = rootsOf(edge), after = rootsOf(got);
        const double was = mtf50(before, 100, 80), is = mtf50(after, 100, 80);
        float least = 1.0f, most = 0.0f;
        for (int y = 0; y < after.height(); ++y) {
            least = std::min(least, *std::min_element(after.row(1, y), after.row(1, y) + after.width()));
            most = std::max(most, *std::max_element(after.row(1, y), after.row(1, y) + after.width()));
        }
        qInfo("MTF50 %.3f to %.3f, from %.3f to %.3f", was, is, double(least), double(most));
        QVERIFY(was > 0.15 && was < 0.22); // 0.187 for a Gaussian of one pixel
        QVERIFY(is >= 1.25 * was);
        QVERIFY(double(most) <= 0.6 + overshoot * 0.4 + 1e-4 && double(least) >= 0.2 - overshoot * 0.4 - 1e-4);
        // Noise of flat places: a hundredth of the range, in square roots.
        const Image<float> flat = noisy(drawn(120, 90, [](int, int, int) { return 0.16f; }), 2.0 * 0.4 * 0.003);
        const Image<float> sharper = through(Sharpness::make(SharpnessSettings{strength, 1.0, 30}), flat);
        const double raised = deviation(sharper, {10, 10, 110, 80}) / deviation(flat, {10, 10, 110, 80});
        QVERIFY2(raised <= 1.05, qPrintable(QString::number(raised)));
    }
    void glowSpreadsLightAndKeepsItsSum()
    {
        const Image<float> lamp =
            drawn(300, 200, [](int, int x, int y) { return std::hypot(x - 150, y - 100) < 4 ? 100.0f : 0.1f; });
        const Image<float> got = through(informed(Glow::make(GlowSettings{100, 30, 0}), surveyOf(lamp)), lamp);
        const Rect all{0, 0, 300, 200};
        QVERIFY(std::abs(mean(got, all) / mean(lamp, all) - 1.0) < 0.02);
        QVERIFY(got.row(1, 100)[160] > 2.0f * lamp.row(1, 100)[160]); // beside the lamp
        QVERIFY(got.row(1, 100)[160] > 2.0f * got.row(1, 100)[200]);
        QVERIFY(got.row(1, 100)[150] < lamp.row(1, 100)[150]);
        // A wall without lamps stays a wall.
        const Image<float> wall = drawn(300, 200, [](int, int, int) { return 0.4f; });
        const Image<float> same = through(informed(Glow::make(GlowSettings{100, 30, 0}), surveyOf(wall)), wall);
        QVERIFY(std::abs(double(same.row(1, 100)[150]) - 0.4) < 1e-4);
        // Mist lifts what is dark and takes contrast.
        const Image<float> scene = test::grainyScene(300, 200, 0.02, 6);
        const Image<float> misty = through(informed(Glow::make(GlowSettings{0, 30, 80}), surveyOf(scene)), scene);
        QVERIFY(deviation(misty, all) < 0.8 * deviation(scene, all));
        const float darkest = 0.021f; // of the grains
        for (int x = 0; x < 300; ++x)
            QVERIFY(scene.row(1, 100)[x] > darkest || misty.row(1, 100)[x] > 2.0f * scene.row(1, 100)[x]);
    }
    void skiesGrowDeeper()
    {
        const AdjustmentPtr a = DeepSky::make(SkySettings{100});
        const auto of = [&](double L, double C, double hue) {
            const double angle = hue * std::numbers::pi / 180.0;
            Image<float> lab(1, 1, 3);
            lab.row(0, 0)[0] = float(L);
            lab.row(1, 0)[0] = float(C * std::cos(angle));
            lab.row(2, 0)[0] = float(C * std::sin(angle));
            a->apply(lab.view(), lab.view(), {});
            const double now = std::atan2(double(lab.row(2, 0)[0]), double(lab.row(1, 0)[0]));
            if (C > 0.0 && std::abs(std::remainder(now - angle, 2.0 * std::numbers::pi)) > 1e-3)
                return -1.0; // the hue stays
            return double(lab.row(0, 0)[0]) / L;
        };
        QVERIFY(std::abs(of(0.75, 0.12, 245) - 0.65) < 0.01);
        QCOMPARE(of(0.75, 0.0, 0), 1.0); // clouds
        QVERIFY(of(0.75, 0.01, 245) > 0.99);
        QCOMPARE(of(0.75, 0.12, 65), 1.0);  // skin
        QCOMPARE(of(0.25, 0.12, 245), 1.0); // dark cloth
        // Without a step: along hue, chroma and lightness, what a small step changes is small.
        for (int i = 0; i < 360; ++i)
            QVERIFY(std::abs(of(0.75, 0.12, i + 1) - of(0.75, 0.12, i)) < 0.02);
        for (int i = 0; i < 100; ++i)
            QVERIFY(std::abs(of(0.75, 0.002 * (i + 1), 245) - of(0.75, 0.002 * i, 245)) < 0.04);
    }
    void skiesStaySmooth_data()
    {
        QTest::addColumn<AdjustmentPtr>("made");
        QTest::addColumn<bool>("onScene");
        QTest::addColumn<bool>("inOklab");
        QTest::newRow("nothing") << AdjustmentPtr() << false << false;
        QTest::newRow("glow") << Glow::make(GlowSettings{100, 100, 0}) << true << false;
        QTest::newRow("small glow") << Glow::make(GlowSettings{100, 0, 0}) << true << false;
        QTest::newRow("mist") << Glow::make(GlowSettings{0, 30, 100}) << true << false;
        QTest::newRow("deep sky") << DeepSky::make(SkySettings{100}) << false << true;
        QTest::newRow("dark vignette") << Vignette::make(VignetteSettings{-3.0, 0.0, 60, 60, 0, 50, 50}) << false
                                       << false;
        QTest::newRow("light vignette") << Vignette::make(VignetteSettings{3.0, 0.0, 60, 60, 0, 50, 50}) << false
                                        << false;
    }
    void skiesStaySmooth()
    {
        // A sky from pale at the horizon to deep blue over a thousand pixels: no neighbours of 16 bits may differ by more
        // than 1.5 codes of 8 bits where they were less than half a code apart.
        QFETCH(AdjustmentPtr, made);
        QFETCH(bool, onScene);
        QFETCH(bool, inOklab);
        constexpr int kWidth = 900, kHeight = 600;
        const std::array pale{0.55, 0.60, 0.68}, deep{0.12, 0.20, 0.42};
        const Image<float> sky = drawn(kWidth, kHeight, [&](int c, int x, int y) {
            const double t = (y + 0.2 * x) / (kHeight + 0.2 * kWidth);
            return float(std::exp2(std::log2(deep[size_t(c)]) * (1.0 - t) + std::log2(pale[size_t(c)]) * t));
        });
        Image<float> in = copyOf(sky);
        const OklabSpace space(kRec2020);
        const auto convert = [&](auto *conversion, Image<float> &image) {
            for (int y = 0; y < kHeight; ++y) {
                const float *const from[3] = {image.row(0, y), image.row(1, y), image.row(2, y)};
                float *const to[3] = {image.row(0, y), image.row(1, y), image.row(2, y)};
                conversion(from, kWidth, space, to);
            }
        };
        if (inOklab)
            convert(&oklabOfRow, in);
        Survey survey = surveyOf(sky);
        Image<float> got = through(informed(made, survey), in);
        if (inOklab)
            convert(&rgbOfRow, got);
        QVERIFY(!made || onScene || test::firstDifference(got.view(), sky.view(), 0.0, 1e-3) != QByteArray());
        double worst = 0.0;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y + 1 < kHeight; ++y)
                for (int x = 0; x + 1 < kWidth; ++x) {
                    const auto code = [&](int atX, int atY) {
                        return std::round(65535.0 * encodeSrgb(std::clamp(double(got.row(c, atY)[atX]), 0.0, 1.0))) /
                               257.0;
                    };
                    worst =
                        std::max({worst, std::abs(code(x + 1, y) - code(x, y)), std::abs(code(x, y + 1) - code(x, y))});
                }
        QVERIFY2(worst <= (made ? 1.5 : 0.5), qPrintable(QString::number(worst)));
    }
    void warmthComesFromTheLight()
    {
        const Image<float> scene = drawn(300, 200, [](int, int x, int) { return float(std::exp2(-6.0 * x / 300.0)); });
        const Image<float> grey = drawn(300, 200, [](int, int, int) { return 0.3f; });
        const Image<float> got = through(informed(WarmLight::make(WarmLightSettings{100}), surveyOf(scene)), grey);
        const auto warmth = [&](int x) { return double(got.row(0, 100)[x]) / double(got.row(2, 100)[x]); };
        QVERIFY(warmth(5) > 1.8 && warmth(295) < 1.001 && warmth(60) < warmth(5) && warmth(60) > 1.2);
        for (const int x : {5, 60, 150, 295}) {
            double y = 0.0;
            for (int c = 0; c < 3; ++c)
                y += double(kLuminance2020[size_t(c)]) * double(got.row(c, 100)[x]);
            QVERIFY(std::abs(y / 0.3 - 1.0) < 1e-3);
        }
    }
    void vignettesLieOnThePicture()
    {
        const Image<float> flat = drawn(300, 200, [](int, int, int) { return 0.5f; });
        const VignetteSettings settings{-2.0, 0.5, 60, 20, 0, 50, 50};
        const Image<float> got = through(informed(Vignette::make(settings), surveyOf(flat)), flat);
        QVERIFY(std::abs(double(got.row(1, 100)[150]) - 0.5 * std::exp2(0.5)) < 1e-3);
        QVERIFY(std::abs(double(got.row(1, 0)[0]) - 0.125) < 1e-3);
        QCOMPARE(got.row(1, 10)[20], got.row(1, 189)[279]); // the same in all corners
        // About another middle.
        VignetteSettings moved = settings;
        moved.x = 0;
        moved.y = 0;
        const Image<float> aside = through(informed(Vignette::make(moved), surveyOf(flat)), flat);
        QVERIFY(aside.row(1, 0)[0] > 0.6f && aside.row(1, 199)[299] < 0.13f);
        // Across the longer side a circle ends sooner than the ellipse, and so does what follows the edges.
        VignetteSettings circle = settings, rectangle = settings;
        circle.shape = -100;
        rectangle.shape = 100;
        const Image<float> round = through(informed(Vignette::make(circle), surveyOf(flat)), flat),
                           square = through(informed(Vignette::make(rectangle), surveyOf(flat)), flat);
        QVERIFY(round.row(1, 100)[270] < got.row(1, 100)[270]);
        QVERIFY(square.row(1, 100)[285] < got.row(1, 100)[285]);
        // On a crop it lies on what is left.
        Survey cropped = surveyOf(flat);
        cropped.shares = [](double x, double y) { return Point{x / 150.0, y / 200.0}; }; // the left half
        cropped.aspect = 0.75;
        const Image<float> left = through(informed(Vignette::make(settings), cropped), flat);
        QVERIFY(left.row(1, 100)[75] > 0.7f && left.row(1, 100)[149] < left.row(1, 100)[75]);
    }
    void grainIsTheSameAtAnySize()
    {
        const Image<float> grey = drawn(600, 400, [](int, int, int) { return 0.25f; });
        Survey large = surveyOf(grey); // of a frame of 6000 x 4000
        large.width = 6000;
        large.height = 4000;
        const AdjustmentPtr a = informed(Grain::make(GrainSettings{100, 50}), large);
        const Rect all{0, 0, 600, 400};
        const auto strengthAt = [&](double step) {
            const Image<float> got = rootsOf(areaThrough(*a, grey, all, {0, 0, step, step}));
            return deviation(got, all);
        };
        const Image<float> full = rootsOf(areaThrough(*a, grey, all, {0, 0, 1, 1}));
        QVERIFY(std::abs(mean(full, all) / 0.5 - 1.0) < 0.02);
        const double atFull = deviation(full, all);
        QVERIFY2(atFull > 0.07 && atFull < 0.13, qPrintable(QString::number(atFull))); // a tenth at half the root
        // Made smaller by its mean, and asked for at that size: the same strength.
        constexpr int kSmaller = 10;
        const Image<float> wide = drawn(6000, 400, [](int, int, int) { return 0.25f; });
        const Image<float> fine = rootsOf(areaThrough(*a, wide, {0, 0, 6000, 400}, {0, 0, 1, 1}));
        Image<float> reduced(600, 40, 3);
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 600; ++x)
                reduced.row(1, y)[x] =
                    float(mean(fine, {x * kSmaller, y * kSmaller, (x + 1) * kSmaller, (y + 1) * kSmaller}));
        const double averaged = deviation(reduced, {0, 0, 600, 40}), asked = strengthAt(kSmaller);
        qInfo("grain %.4f, averaged %.4f, asked for %.4f", atFull, averaged, asked);
        QVERIFY(asked / averaged > 0.7 && asked / averaged < 1.4);
        // None in black, none in white.
        for (const float light : {0.0f, 1.0f}) {
            const Image<float> end = drawn(50, 50, [&](int, int, int) { return light; });
            QVERIFY(deviation(areaThrough(*a, end, {0, 0, 50, 50}), {0, 0, 50, 50}) < 1e-4);
        }
    }
};

QTEST_APPLESS_MAIN(TestFinish)
#include "tst_finish.moc"
