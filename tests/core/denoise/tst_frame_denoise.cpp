#include "base/errors.h"
#include "denoise/frame_denoise.h"
#include "io/linear_codes.h"
#include "simulated_camera.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

const NoiseModel kNoise{1.0 / demo::kFullWell, std::pow(demo::kReadNoise / demo::kFullWell, 2)};

Image<uint16_t> noisy(const Image<float> &light, uint64_t seed = 1)
{
    demo::Shot shot;
    shot.seed = seed;
    return test::codesOf(demo::expose(light.view(), shot).view());
}

Image<uint16_t> denoised(const Image<float> &light, double strength)
{
    Image<uint16_t> codes = noisy(light);
    ThreadRunner runner;
    ExecContext ctx(runner);
    denoiseFrame(codes, kNoise, strength, ctx);
    return codes;
}

double rms(const Image<uint16_t> &codes, const Image<float> &light, Rect part)
{
    double sum = 0.0;
    for (int c = 0; c < 3; ++c)
        for (int y = part.y0; y < part.y1; ++y)
            for (int x = part.x0; x < part.x1; ++x)
                sum += std::pow(double(linearOfCode(codes.row(c, y)[x]) - light.row(c, y)[x]), 2);
    return std::sqrt(sum / (3.0 * part.width() * part.height()));
}

double mean(const Image<uint16_t> &codes, int plane)
{
    double sum = 0.0;
    for (int y = 0; y < codes.height(); ++y)
        for (int x = 0; x < codes.width(); ++x)
            sum += double(linearOfCode(codes.row(plane, y)[x]));
    return sum / double(codes.shape().pixels());
}

/// Left dark, right brighter by half, with a sharp edge between.
Image<float> edge()
{
    Image<float> out = test::flat(300, 420, 0.002f, 0.003f, 0.002f);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 150; x < 300; ++x)
                out.row(c, y)[x] *= 12.0f;
    return out;
}

} // namespace

class TestFrameDenoise : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void flatPlacesLoseTheirNoise()
    {
        const Image<float> light = test::flat(256, 420, 0.002f, 0.004f, 0.003f);
        const Rect inner{40, 40, 216, 380};
        const double before = rms(noisy(light), light, inner);
        double last = before;
        for (double strength : {0.25, 0.5, 1.0}) {
            const double after = rms(denoised(light, strength), light, inner);
            QVERIFY2(after < last, qPrintable(QString::number(after / before)));
            last = after;
        }
        qInfo("noise left at full strength: %.3f", last / before);
        QVERIFY(last < 0.2 * before);
    }
    void lightIsKept()
    {
        // Below black too: cutting the negative half of the noise would lift the shadows.
        for (float level : {0.0f, 0.0003f, 0.01f, 0.3f}) {
            const Image<float> light = test::flat(300, 400, level, level, level);
            const Image<uint16_t> after = denoised(light, 1.0), before = noisy(light);
            const double sigma = std::sqrt(kNoise.variance(double(level)));
            for (int c = 0; c < 3; ++c) // a 15th of the noise of one pixel, where Anscombe is least exact
                QVERIFY2(std::abs(mean(after, c) - mean(before, c)) < 0.067 * sigma,
                         qPrintable(QString::number((mean(after, c) - mean(before, c)) / sigma)));
        }
    }
    void edgesStaySharp()
    {
        const Image<float> light = edge();
        const Image<uint16_t> after = denoised(light, 0.5);
        // Mean rows beside the edge: within a tenth of the step.
        for (int x : {147, 148, 149, 150, 151, 152}) {
            double sum = 0.0;
            for (int y = 40; y < 380; ++y)
                sum += double(linearOfCode(after.row(1, y)[x])) / 340.0;
            QVERIFY2(std::abs(sum - double(light.row(1, 0)[x])) < 0.1 * 0.033,
                     qPrintable(QString("%1: %2").arg(x).arg(sum)));
        }
    }
    void clippedAndStrengthNoneStayAsTheyAre()
    {
        Image<float> light = test::flat(80, 60, 0.2f, 0.2f, 0.2f);
        for (int y = 20; y < 40; ++y)
            for (int x = 20; x < 60; ++x)
                for (int c = 0; c < 3; ++c)
                    light.row(c, y)[x] = 2.0f;
        const Image<uint16_t> after = denoised(light, 1.0);
        for (int c = 0; c < 3; ++c)
            QCOMPARE(after.row(c, 30)[40], uint16_t(65535));
        QCOMPARE(test::firstDifference(denoised(light, 0.0).view(), noisy(light).view()), QByteArray());
    }
    void coloursOfWhatDrownsAreCalmed()
    {
        // One colour in stripes of two brightnesses, under the noise of a dark frame; a lit patch of another colour.
        constexpr float kColour[3] = {0.5f, 1.0f, 0.7f};
        const Rect lit{220, 320, 300, 400};
        Image<float> light(320, 420, 3);
        const auto isLit = [&](int x, int y) { return x >= lit.x0 && x < lit.x1 && y >= lit.y0 && y < lit.y1; };
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 420; ++y)
                for (int x = 0; x < 320; ++x)
                    light.row(c, y)[x] =
                        isLit(x, y) ? (c == 0 ? 0.2f : 0.02f) : kColour[c] * (x / 40 % 2 ? 4e-4f : 1e-4f);
        ThreadRunner runner;
        ExecContext ctx(runner);
        Image<uint16_t> before = noisy(light);
        for (int c : {0, 2}) // red and blue as a mosaic samples them, a quarter of the pixels
            for (int y = 0; y < 420; ++y)
                for (int x = 0; x < 320; ++x)
                    before.row(c, y)[x] = before.row(c, y & ~1)[x & ~1];
        denoiseFrame(before, kNoise, 1.0, ctx);
        const auto copied = [&] {
            Image<uint16_t> out(before.shape());
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < 420; ++y)
                    std::copy_n(before.row(c, y), 320, out.row(c, y));
            return out;
        };
        Image<uint16_t> after = copied();
        calmColours(after, kNoise, 1, ctx);
        // How far red and blue are off their share of green, over blocks of 8 pixels.
        const auto off = [&](const Image<uint16_t> &codes) {
            double sum = 0.0, count = 0.0;
            for (int y = 8; y < 96; y += 8)
                for (int x = 8; x < 304; x += 8) {
                    double mean[3] = {};
                    for (int c = 0; c < 3; ++c)
                        for (int v = 0; v < 8; ++v)
                            for (int u = 0; u < 8; ++u)
                                mean[c] += double(linearOfCode(codes.row(c, y + v)[x + u])) / 64.0;
                    for (int c : {0, 2})
                        sum += std::pow(mean[c] - double(kColour[c]) * mean[1], 2.0);
                    count += 2.0;
                }
            return std::sqrt(sum / count);
        };
        QVERIFY2(off(after) < 0.5 * off(before), qPrintable(QString::number(off(after) / off(before))));
        for (int c = 0; c < 3; ++c) { // nothing of what is seen well
            double was = 0.0, is = 0.0;
            for (int y = 330; y < 390; ++y)
                for (int x = 230; x < 290; ++x) {
                    was += double(linearOfCode(before.row(c, y)[x]));
                    is += double(linearOfCode(after.row(c, y)[x]));
                }
            QVERIFY2(std::abs(is / was - 1.0) < 0.01, qPrintable(QString::number(is / was)));
        }
        Image<uint16_t> again = copied();
        SerialRunner serial;
        ExecContext alone(serial);
        calmColours(again, kNoise, 1, alone);
        QCOMPARE(test::firstDifference(again.view(), after.view()), QByteArray());
        Image<uint16_t> tiny(1, 1, 3), grey(4, 4, 1);
        calmColours(tiny, kNoise, 8, alone);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, calmColours(grey, kNoise, 1, alone));
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(serial, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, calmColours(again, kNoise, 1, stopped));
    }
    void sameBitsForAnyRunnerAndCancel()
    {
        const Image<float> light = edge(); // 420 rows: three blocks
        const auto with = [&](Runner &runner) {
            Image<uint16_t> codes = noisy(light);
            ExecContext ctx(runner);
            denoiseFrame(codes, kNoise, 0.7, ctx);
            return codes;
        };
        SerialRunner serial;
        test::ShuffledRunner shuffled(5);
        ThreadRunner threads;
        const Image<uint16_t> want = with(serial);
        QCOMPARE(test::firstDifference(with(shuffled).view(), want.view()), QByteArray());
        QCOMPARE(test::firstDifference(with(threads).view(), want.view()), QByteArray());
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(serial, stop.get_token());
        Image<uint16_t> codes = noisy(light);
        QVERIFY_THROWS_EXCEPTION(Cancelled, denoiseFrame(codes, kNoise, 0.7, stopped));
    }
    void oddSizesAndBadInput()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        for (auto [w, h] : {std::pair(1, 1), std::pair(5, 3), std::pair(33, 193)}) {
            Image<uint16_t> codes = noisy(test::flat(w, h, 0.01f, 0.01f, 0.01f));
            denoiseFrame(codes, kNoise, 1.0, ctx);
            QCOMPARE(codes.shape(), (Shape{w, h, 3}));
        }
        Image<uint16_t> grey(8, 8, 1), fine(8, 8, 3);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, denoiseFrame(grey, kNoise, 0.5, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, denoiseFrame(fine, kNoise, 1.5, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, denoiseFrame(fine, kNoise, std::nan(""), ctx));
    }
};

QTEST_GUILESS_MAIN(TestFrameDenoise)
#include "tst_frame_denoise.moc"
