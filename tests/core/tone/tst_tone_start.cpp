// The first picture on scenes that nobody tuned: what some frame holds is shown below white, with its detail.
#include "colour/primaries.h"
#include "colour/transfer.h"
#include "io/radiance_file.h"
#include "support/pu21.h"
#include "support/start_measures.h"
#include "support/tone_measures.h"
#include "tone/tone_curve.h"

#include <QTest>

#include <algorithm>

using namespace yolk;

class TestToneStart : public QObject {
    Q_OBJECT

    /// A room, a window of 1 %, and a sun of 0.04 % five stops above it.
    static Image<float> roomWithSun()
    {
        Image<float> scene(500, 300, 3);
        for (int y = 0; y < 300; ++y)
            for (int x = 0; x < 500; ++x) {
                const double ev = y >= 100 && y < 130 && x < 50 ? (x < 8 && y < 108 ? 11.0 : 6.0) : -2.0 + x / 250.0;
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = float(luminanceOfEv(ev));
            }
        return scene;
    }

private Q_SLOTS:
    void heldLightIsShown_data()
    {
        QTest::addColumn<QString>("name");
        for (const char *name : {"apartment", "forest", "hall", "night", "sunset", "workshop"}) // CC0, tests/data
            QTest::newRow(name) << QString::fromLatin1(name);
    }
    void heldLightIsShown()
    {
        QFETCH(QString, name);
        Image<float> light = readExr(YOLK_SOURCE_DIR "/tests/data/panoramas/" + name.toStdString() + ".exr").rgb;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < light.height(); ++y)
                for (int x = 0; x < light.width(); ++x) // compression left some slightly negative
                    light.row(c, y)[x] = std::max(0.0f, light.row(c, y)[x]);
        const Image<float> scene = test::converted(light, rgbToRgb(kRec709, kRec2020));
        const ToneStart start = toneStartOf(scene.view());
        for (ToneMethod method : {ToneMethod::Global, ToneMethod::Local, ToneMethod::Blend}) {
            ToneSettings settings = automaticTone(start);
            settings.method = method;
            const test::StartFigures f =
                test::startFigures(scene.view(), test::toned(scene.view(), settings, start).view());
            QVERIFY2(f.lost <= 0.002, qPrintable(QString::number(f.lost)));
            QVERIFY2(f.white <= 0.002, qPrintable(QString::number(f.white)));
            if (method != ToneMethod::Blend)
                QVERIFY2(f.room >= 38.0 && f.room <= 52.0, qPrintable(QString::number(f.room)));
            if (method == ToneMethod::Local)
                QVERIFY2(f.dark >= 0.5 && f.rest >= 0.65 && f.rest <= 1.35 && f.bright >= 0.2,
                         qPrintable(QStringLiteral("%1 %2 %3").arg(f.dark).arg(f.rest).arg(f.bright)));
        }
        // The measures see a picture that loses its lights.
        ToneSettings bright = automaticTone(start);
        bright.method = ToneMethod::Plain;
        const test::StartFigures f = test::startFigures(scene.view(), test::toned(scene.view(), bright, start).view());
        QVERIFY2(f.white > 0.01, qPrintable(QString::number(f.white)));
    }
    void statisticsAreOfTheScene()
    {
        // Half a room at -3 EV, a window at 4 EV that is twice as red as it is light, a hundredth of deep shadow.
        Image<float> scene(400, 100, 3);
        for (int y = 0; y < 100; ++y)
            for (int x = 0; x < 400; ++x) {
                const double ev = x < 8 ? -9.0 : x < 350 ? -3.0 : 4.0;
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = float(luminanceOfEv(ev));
            }
        const ToneStart start = toneStartOf(scene.view());
        QVERIFY(std::abs(start.roomEv + 3.0) < 0.1);
        QVERIFY(std::abs(start.peakEv - 4.0) < 1e-3 && std::abs(start.highEv - 4.0) < 1e-3);
        QVERIFY(std::abs(start.lowEv + 9.0) < 1e-3);
        QVERIFY(std::abs(start.peakColour - 1.0) < 1e-3);
        const Vector3 orange = rgbToRgb(kRec709, kRec2020) * Vector3{1.0, 0.35, 0.1};
        for (int y = 0; y < 100; ++y)
            for (int x = 350; x < 400; ++x)
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = float(4.0 * orange[size_t(c)]);
        // By hand: 1 / (0.2126 + 0.7152 x 0.35 + 0.0722 x 0.1)
        QVERIFY(std::abs(toneStartOf(scene.view()).peakColour - 1.0 / 0.47014) < 0.01);
    }
    void saysWhatEndsWhite()
    {
        const Image<float> scene = roomWithSun();
        const ToneStart start = toneStartOf(scene.view());
        QVERIFY(std::abs(start.peakEv - 6.0) < 1e-3);
        QVERIFY(std::abs(start.tail.back() - 11.0) < 1e-3);
        ToneSettings settings = automaticTone(start);
        settings.method = ToneMethod::Global;
        const double share = whiteShare(settings, start);
        QVERIFY2(share > 2e-4 && share < 1e-3, qPrintable(QString::number(share)));
        // Against the picture itself.
        const auto whiteIn = [&](const ToneSettings &s) {
            const Image<float> picture = test::toned(scene.view(), s, start);
            double count = 0.0;
            for (int y = 0; y < 300; ++y)
                for (int x = 0; x < 500; ++x)
                    count += 255.0 * encodeSrgb(double(picture.row(1, y)[x])) >= 249.99;
            return count / (500.0 * 300.0);
        };
        QVERIFY(std::abs(whiteIn(settings) - 64.0 / 150000.0) < 1e-6);
        settings.shoulder = shoulderThatHolds(settings, start);
        QVERIFY(settings.shoulder > 50.0 && settings.shoulder < 100.0);
        QCOMPARE(whiteShare(settings, start), 0.0);
        QCOMPARE(whiteIn(settings), 0.0);
        ToneSettings exposed = settings;
        exposed.exposure += 6.0;
        QVERIFY2(whiteShare(exposed, start) > 0.0015, qPrintable(QString::number(whiteShare(exposed, start))));
        settings.method = ToneMethod::Plain;
        QCOMPARE(whiteShare(settings, start), 0.0);
    }
    void whatNobodyHoldsIsNoLightToBeShown()
    {
        const Image<float> scene = roomWithSun();
        Image<uint8_t> clipped(1000, 600, 1); // at another size
        for (int y = 200; y < 216; ++y)
            std::fill_n(clipped.row(0, y), 16, uint8_t(200));
        const ToneStart start = toneStartOf(scene.view(), {{}, {}, clipped.view()});
        QVERIFY(std::abs(start.tail.back() - 6.0) < 1e-3);
        QCOMPARE(whiteShare(automaticTone(start), start), 0.0);
        for (int y = 0; y < 600; ++y)
            std::fill_n(clipped.row(0, y), 1000, uint8_t(200));
        QCOMPARE(toneStartOf(scene.view(), {{}, {}, clipped.view()}), toneStartOf(scene.view()));
    }
    void nightStaysDark()
    {
        QCOMPARE(roomLightnessOf(0.1), 30.0);
        QCOMPARE(roomLightnessOf(3.0), 30.0);
        QCOMPARE(roomLightnessOf(6.0), 44.0);
        QCOMPARE(roomLightnessOf(500.0), 44.0);
        const Image<float> light = readExr(YOLK_SOURCE_DIR "/tests/data/panoramas/hall.exr").rgb;
        const Image<float> scene = test::converted(light, rgbToRgb(kRec709, kRec2020));
        const ToneStart day = toneStartOf(scene.view()),
                        night = toneStartOf(scene.view(), {0.5 * std::exp2(-day.roomEv), {}});
        const double shown =
            test::startFigures(scene.view(), test::toned(scene.view(), automaticTone(night), night).view()).room;
        QVERIFY2(shown >= 22.0 && shown <= 38.0, qPrintable(QString::number(shown)));
    }
    void noiseLimitsTheLift()
    {
        const Image<float> light = readExr(YOLK_SOURCE_DIR "/tests/data/panoramas/hall.exr").rgb;
        const Image<float> scene = test::converted(light, rgbToRgb(kRec709, kRec2020));
        const auto startWith = [&](double noise) {
            return toneStartOf(scene.view(), {{}, [noise](double) { return noise; }});
        };
        const ToneStart clean = startWith(0.05), noisy = startWith(0.5);
        QCOMPARE(clean.exposure, toneStartOf(scene.view()).exposure);
        QVERIFY2(noisy.exposure < clean.exposure - 1.0, qPrintable(QString::number(noisy.exposure)));
        // By hand: the room's lightest part then shows 1.5 and 0.5 times its light within L* 8 of each other.
        const ToneCurve curve(automaticTone(noisy), noisy);
        const size_t lightest = size_t(0.7 * double(noisy.quantiles.size())) - 1;
        const double shown = curve.luminance(noisy.quantiles[lightest]);
        QVERIFY(lightnessOf(1.5 * shown) - lightnessOf(0.5 * shown) < 8.3);
    }
};

QTEST_GUILESS_MAIN(TestToneStart)
#include "tst_tone_start.moc"
