#include "base/errors.h"
#include "colour/oklab.h"
#include "colour/transfer.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include <QTest>

#include <cmath>
#include <limits>
#include <random>

using namespace yolk;

namespace {

const ToneStart kDark{-9.0, -6.3, 2.8, 4.1};  // a room with a bright doorway
const ToneStart kPlain{-4.0, -0.5, 2.0, 2.4}; // an even outdoor scene

Image<float> tone(const Image<float> &scene, const ToneCurve &curve, OutputSpace space = OutputSpace::Srgb)
{
    SerialRunner serial;
    ExecContext ctx(serial);
    return toneMap(scene.view(), curve, space, ctx);
}

ToneSettings randomSettings(std::mt19937 &random)
{
    ToneSettings s;
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            s.*field.member = std::uniform_real_distribution(field.minimum, field.maximum)(random);
    });
    s.method = random() % 2 ? ToneMethod::Global : ToneMethod::Plain;
    return s;
}

} // namespace

class TestToneCurve : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void photographicOperator()
    {
        QCOMPARE(photographic(1.0, 4.0), 0.625); // Reinhard et al. 2002 equation 4, by hand: Lm = 1, Lw = 2
        QCOMPARE(photographic(2.0, 4.0), 1.0);   // white is white
    }
    void evAndLuminance()
    {
        QCOMPARE(evOfLuminance(0.18), 0.0);
        QVERIFY(std::abs(evOfLuminance(0.72) - 2.0) < 1e-12);
        QVERIFY(std::abs(luminanceOfEv(evOfLuminance(0.031)) - 0.031) < 1e-15);
        QCOMPARE(evOfLuminance(std::nan("")), evOfLuminance(0.0));
    }
    void automaticStartSuitsTheScene()
    {
        for (const ToneStart &start : {kDark, kPlain}) {
            const ToneCurve curve(automaticTone(start), start);
            QVERIFY(curve.lightness(start.peakEv) > 97.0);
            QVERIFY2(curve.lightness(start.lowEv) < 22.0, qPrintable(QString::number(curve.lightness(start.lowEv))));
            const double middle = curve.lightness(start.averageEv);
            QVERIFY2(middle > 33.0 && middle < 56.0, qPrintable(QString::number(middle)));
        }
        QVERIFY(automaticTone(kDark).range > automaticTone(kPlain).range + 20); // more range, more squeeze
        QCOMPARE(automaticTone({-2, 0, 2, 2.2}).range, 0.0);                    // what fits is not squeezed
    }
    void everyCurveRises()
    {
        std::mt19937 random(3);
        for (int i = 0; i < 300; ++i) {
            const ToneCurve curve(randomSettings(random), i % 2 ? kDark : kPlain);
            double last = -1.0;
            for (double ev = -20; ev <= 15; ev += 0.05) {
                const double light = curve.luminance(ev);
                QVERIFY2(light >= last - 1e-12 && light >= 0.0 && light <= 1.0,
                         qPrintable(QStringLiteral("%1 at %2").arg(i).arg(ev)));
                last = light;
            }
        }
    }
    void plainIsExposureAndGamma()
    {
        ToneSettings s;
        s.method = ToneMethod::Plain;
        s.exposure = 1.0;
        const ToneCurve curve(s, kPlain);
        QVERIFY(std::abs(curve.luminance(0.0) - 0.36) < 1e-12); // a stop brighter
        QCOMPARE(curve.luminance(5.0), 1.0);                    // clipped
        s.gamma = 2.0;
        QVERIFY(std::abs(ToneCurve(s, kPlain).luminance(0.0) - 0.6) < 1e-12); // the root of 0.36
    }
    void rangeZeroSqueezesNothing()
    {
        // Slope 1 far below the shoulder: a stop of scene is a stop of display.
        const ToneCurve curve({}, kPlain);
        QVERIFY(std::abs(std::log2(curve.luminance(-7) / curve.luminance(-8)) - 1.0) < 0.01);
        ToneSettings squeezed;
        squeezed.range = 100;
        QVERIFY(
            std::abs(std::log2(ToneCurve(squeezed, kDark).luminance(-9) / ToneCurve(squeezed, kDark).luminance(-10)) -
                     0.25) < 0.03);
    }
    void zonesMoveTheirOwnTones()
    {
        const ToneSettings start = automaticTone(kDark);
        const ToneCurve neutral(start, kDark);
        const auto evs = zoneEvs(kDark);
        const std::array<double, 5> lightness{10, 30, 50, 70, 90};
        QVERIFY(std::ranges::is_sorted(evs));
        for (size_t zone = 0; zone < 5; ++zone) {
            QVERIFY(std::abs(neutral.lightness(evs[zone]) - lightness[zone]) < 1e-6);
            ToneSettings lifted = start;
            lifted.*kZones[zone] = 50;
            const ToneCurve curve(lifted, kDark);
            QVERIFY(curve.lightness(evs[zone]) > lightness[zone] + 4.0);
            for (size_t other = 0; other < 5; ++other)
                if (other + 1 < zone || other > zone + 1)
                    QVERIFY(std::abs(curve.lightness(evs[other]) - lightness[other]) < 1e-6);
        }
    }
    void handlesFollowThePointer()
    {
        ToneSettings s = automaticTone(kDark);
        for (int zone = 0; zone < 5; ++zone) {
            const double ev = zoneEvs(kDark)[size_t(zone)], want = ToneCurve(s, kDark).lightness(ev) - 4.0;
            ToneSettings moved = s;
            moved.*kZones[size_t(zone)] = zoneValueFor(s, kDark, zone, want);
            QVERIFY(std::abs(ToneCurve(moved, kDark).lightness(ev) - want) < 1e-6);
        }
        QVERIFY(zoneValueFor(s, kDark, 2, 999.0) > 99.9); // as near as the range allows
        QVERIFY(zoneValueFor(s, kDark, 2, -999.0) < -99.9);
    }
    void settingsOutOfRangeAreRefused()
    {
        ToneSettings s;
        s.range = 101;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, ToneCurve(s, kPlain));
        s.range = std::nan("");
        QVERIFY_THROWS_EXCEPTION(ArgumentError, ToneCurve(s, kPlain));
    }
    void pixelsFollowTheCurve()
    {
        // Grey in, grey out: the gain table against the curve itself.
        Image<float> scene(400, 1, 3);
        for (int x = 0; x < 400; ++x)
            for (int c = 0; c < 3; ++c)
                scene.row(c, 0)[x] = float(luminanceOfEv(-16.0 + x * 0.06));
        const ToneCurve curve(automaticTone(kDark), kDark);
        const Image<float> out = tone(scene, curve);
        for (int x = 0; x < 400; ++x)
            for (int c = 0; c < 3; ++c) {
                const double want = curve.luminance(-16.0 + x * 0.06);
                // A quarter of a 16-bit code: chords of the table and the matrix in float. The knee at white may fall
                // inside a step of the table.
                QVERIFY2(std::abs(double(out.row(c, 0)[x]) - want) <= (want < 0.99 ? 4e-6 : 3e-4),
                         qPrintable(QString::number(x)));
            }
    }
    void whiteIsWhite()
    {
        const Image<float> out = tone(test::flat(1, 1, 1e6f, 1e6f, 1e6f), ToneCurve(automaticTone(kDark), kDark));
        for (int c = 0; c < 3; ++c)
            QCOMPARE(out.row(c, 0)[0], 1.0f);
    }
    void coloursKeepTheirHue()
    {
        // Goal of the methods: at most 3 degrees in Oklab for colours in gamut.
        const ToneCurve curve(automaticTone(kDark), kDark);
        const OklabSpace in(kRec2020), srgb(kRec709);
        double worst = 0.0;
        int counted = 0;
        for (double light : {0.001, 0.01, 0.1, 1.0})
            for (int hue = 0; hue < 36; ++hue) {
                const double a = hue * M_PI / 18;
                const Vector3 rgb = in.toRgb(
                    {std::cbrt(light), 0.06 * std::cbrt(light) * std::cos(a), 0.06 * std::cbrt(light) * std::sin(a)});
                const Image<float> out = tone(test::flat(1, 1, float(rgb[0]), float(rgb[1]), float(rgb[2])), curve);
                const Oklab after = srgb.fromRgb({out.row(0, 0)[0], out.row(1, 0)[0], out.row(2, 0)[0]});
                if (chromaOf(after) / after.L < 0.05)
                    continue;
                worst =
                    std::max(worst, std::abs(std::remainder(std::atan2(after.b, after.a) - a, 2 * M_PI)) * 180 / M_PI);
                ++counted;
            }
        QVERIFY(counted > 100);
        QVERIFY2(worst <= 3.0, qPrintable(QString::number(worst)));
    }
    void everythingLandsInTheCube()
    {
        Image<float> scene(64, 64, 3);
        std::mt19937 random(5);
        std::lognormal_distribution<float> light(0.0f, 4.0f);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 64; ++y)
                for (int x = 0; x < 64; ++x)
                    scene.row(c, y)[x] = light(random) * (random() % 9 ? 1.0f : -0.1f);
        const float nan = std::numeric_limits<float>::quiet_NaN(), infinity = std::numeric_limits<float>::infinity();
        scene.row(0, 0)[0] = nan;
        scene.row(1, 0)[1] = infinity;
        for (OutputSpace space : {OutputSpace::Srgb, OutputSpace::DisplayP3, OutputSpace::Rec2020}) {
            const Image<float> out = tone(scene, ToneCurve(automaticTone(kPlain), kPlain), space);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < 64; ++y)
                    for (int x = 0; x < 64; ++x)
                        QVERIFY(out.row(c, y)[x] >= 0.0f && out.row(c, y)[x] <= 1.0f);
            QCOMPARE(out.row(0, 0)[0], 0.0f);
            QCOMPARE(out.row(1, 0)[1], 0.0f);
        }
    }
    void sameBitsForAnyRunnerAndCancel()
    {
        const Image<float> scene = test::rampScene(131, 300, 0.0001, 18);
        const ToneCurve curve(automaticTone(kDark), kDark);
        const Image<float> want = tone(scene, curve);
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads;
        for (Runner *runner : std::initializer_list<Runner *>{&shuffled, &threads}) {
            ExecContext ctx(*runner);
            QCOMPARE(test::firstDifference(toneMap(scene.view(), curve, OutputSpace::Srgb, ctx).view(), want.view(),
                                           0.0, 0.0),
                     QByteArray());
        }
        std::stop_source stop;
        stop.request_stop();
        SerialRunner serial;
        ExecContext ctx(serial, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, toneMap(scene.view(), curve, OutputSpace::Srgb, ctx));
        ExecContext other(serial);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, toneMap(Image<float>(3, 3, 1).view(), curve, OutputSpace::Srgb, other));
    }
};

QTEST_GUILESS_MAIN(TestToneCurve)
#include "tst_tone_curve.moc"
