// Merges of frames whose truth is known: as near to it as the pipeline gets, and the hue of lights.
#include "colour/oklab.h"
#include "io/radiance_file.h"
#include "render/render.h"
#include "support/pu21.h"
#include "support/still_scenes.h"
#include "support/synthetic.h"

#include <opencv2/core.hpp>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <numbers>

using namespace yolk;

class TestTruthCases : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    ThreadRunner runner_;

    /// Frames at `evs` against one that clips at `clipsAt`, merged as a user would have them; linear Rec. 709 in units
    /// of that clipping.
    Image<float> merged(ImageView<const float> scene, const std::vector<double> &evs, double clipsAt,
                        demo::FrameFile kind, MergedPtr *set = nullptr)
    {
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 28)};
        for (const QString &path : test::writeBracket(dir_.path(), scene, evs, clipsAt, kind))
            sources.frames.push_back(loadFrame(path.toStdString()));
        ExecContext ctx(runner_);
        const Measured measured = analyse(sources, {}, ctx);
        const PicturePtr got = sceneOf(RenderPlan(sources, measured, {}), {}, ctx);
        if (set)
            *set = mergedOf(RenderPlan(sources, measured, {}), 1, ctx);
        return test::converted(*got, rgbToRgb(kRec2020, kRec709));
    }

private Q_SLOTS:
    void pu21HasItsPublishedValues()
    {
        QVERIFY(std::abs(test::pu21(100.0) - 256.38) < 0.01); // Mantiuk and Azimi 2021, from memory
        QVERIFY(std::abs(test::pu21(10000.0) - 595.39) < 0.01);
        QCOMPARE(test::pu21(1e6), test::pu21(10000.0));
        const Image<float> scene = test::rampScene(100, 20, 0.01, 8);
        QVERIFY(test::pu21Psnr(scene.view(), scene.view()) > 200.0);
        Image<float> off(scene.shape());
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 20; ++y)
                for (int x = 0; x < 100; ++x)
                    off.row(c, y)[x] = scene.row(c, y)[x] * 3.0f * (x % 2 ? 1.02f : 0.98f);
        const double some = test::pu21Psnr(off.view(), scene.view()); // a scale costs nothing, 2 % do
        QVERIFY2(some > 30.0 && some < 60.0, qPrintable(QString::number(some)));
    }
    void panoramasComeBack_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<double>("least"); // dB; some tenths under what the bench measures
        QTest::newRow("apartment") << QStringLiteral("apartment") << 62.0;
        QTest::newRow("forest") << QStringLiteral("forest") << 59.0;
        QTest::newRow("sunset") << QStringLiteral("sunset") << 58.0;
    }
    void panoramasComeBack()
    {
        QFETCH(QString, name);
        QFETCH(double, least);
        const test::StillScene scene = test::panorama(name.toStdString());
        const Image<float> got = merged(scene.truth.view(), {-4, -2, 0, 2, 4}, scene.clipsAt, demo::FrameFile::Tiff);
        const double psnr = test::pu21Psnr(got.view(), scene.truth.view());
        qInfo("%s: %.1f dB", qPrintable(name), psnr);
        QVERIFY2(psnr >= least, qPrintable(QString::number(psnr)));
    }
    void coloursOfLightsKeepTheirHue_data()
    {
        QTest::addColumn<int>("kind");
        QTest::newRow("JPEG") << int(demo::FrameFile::Jpeg);
        QTest::newRow("TIFF") << int(demo::FrameFile::Tiff);
    }
    void coloursOfLightsKeepTheirHue()
    {
        // A lantern, a sunset's edge, a blue and a green lamp: each a bar that grows from dim to four stops over the
        // clipping of the middle frame, so that every frame clips somewhere on it, channel after channel.
        const std::array lights{Vector3{1.0, 0.45, 0.10}, Vector3{1.0, 0.30, 0.22}, Vector3{0.12, 0.25, 1.0},
                                Vector3{0.15, 1.0, 0.30}};
        constexpr int kBar = 32, kWidth = 640;
        Image<float> scene(kWidth, kBar * int(lights.size()), 3);
        for (int y = 0; y < scene.height(); ++y)
            for (int x = 0; x < kWidth; ++x)
                for (size_t c = 0; c < 3; ++c)
                    scene.row(int(c), y)[x] =
                        float(lights[size_t(y / kBar)][c] * std::exp2(-5.0 + 9.0 * double(x) / kWidth));
        QFETCH(int, kind);
        MergedPtr set;
        const Image<float> got = merged(scene.view(), {-4, -2, 0, 2}, 1.0, demo::FrameFile(kind), &set);
        const OklabSpace lab(kRec709);
        const auto hue = [&](const Image<float> &image, int x, int y) { // of a patch: not of its noise
            Vector3 sum{};
            for (int v = y - 3; v <= y + 3; ++v)
                for (int u = x - 3; u <= x + 3; ++u)
                    for (size_t c = 0; c < 3; ++c)
                        sum[c] += double(image.row(int(c), v)[u]) / 49.0;
            const Oklab colour = lab.fromRgb(sum);
            return std::atan2(colour.b, colour.a) * 180.0 / std::numbers::pi;
        };
        double worst = 0.0;
        int held = 0;
        for (size_t bar = 0; bar < lights.size(); ++bar)
            for (int x = 8; x < kWidth - 8; x += 2) {
                const int y = int(bar) * kBar + kBar / 2;
                bool whole = true;
                for (int v = y - 3; v <= y + 3; ++v)
                    for (int u = x - 3; u <= x + 3; ++u)
                        whole = whole && set->pixels.clipped.row(0, v)[u] == 0;
                if (!whole)
                    continue;
                ++held;
                worst = std::max(worst, std::abs(std::remainder(hue(got, x, y) - hue(scene, x, y), 360.0)));
            }
        qInfo("worst hue error %.2f degrees in %d places", worst, held);
        QVERIFY(held > 1100); // nearly all of the bars
        QVERIFY2(worst <= 5.0, qPrintable(QString::number(worst)));
    }
};

QTEST_GUILESS_MAIN(TestTruthCases)
#include "tst_truth_cases.moc"
