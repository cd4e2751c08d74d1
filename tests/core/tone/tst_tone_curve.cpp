#include "base/errors.h"
#include "colour/oklab.h"
#include "colour/transfer.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include <QTest>

#include <cmath>
#include <random>

using namespace yolk;

namespace {

const ToneStart kDark = completed({-9.0, -6.3, 2.8, 4.1});  // a room with a bright doorway
const ToneStart kPlain = completed({-4.0, -0.5, 2.0, 2.4}); // an even outdoor scene

ToneSettings randomSettings(std::mt19937 &random)
{
    ToneSettings s;
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            s.*field.member = std::uniform_real_distribution(field.minimum, field.maximum)(random);
    });
    s.method = kToneMethods[random() % kToneMethods.size()].value;
    s.brightEnd = random() % 2 ? BrightEnd::Roll : BrightEnd::Clip;
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
            QVERIFY(curve.lightness(start.peakEv) > 94.0); // white lies a little above the peak
            QVERIFY2(curve.lightness(start.lowEv) < 22.0, qPrintable(QString::number(curve.lightness(start.lowEv))));
            const double middle = curve.lightness(start.averageEv);
            QVERIFY2(middle > 25.0 && middle < 62.0, qPrintable(QString::number(middle)));
        }
        QVERIFY(automaticTone(kDark).range > automaticTone(kPlain).range + 20); // more range, more squeeze
        QCOMPARE(automaticTone(completed({-2, 0, 2, 2.2})).range, 0.0);         // what fits is not squeezed
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
    void brightEndRollsOff()
    {
        ToneSettings s;
        s.method = ToneMethod::Plain;
        s.brightEnd = BrightEnd::Roll;
        const ToneCurve curve(s, kPlain);
        QVERIFY(std::abs(curve.luminance(0.0) - 0.18) < 1e-12); // the middle stays
        QVERIFY(curve.luminance(3.0) < 1.0);                    // 1.44 times white is still short of it
        // By hand: 1 - 0.5 e^-((1.44 - 0.5) / 0.5).
        QVERIFY(std::abs(curve.luminance(3.0) - (1.0 - 0.5 * std::exp(-1.88))) < 1e-12);
    }
    void shoulderMovesWhite()
    {
        ToneSettings s = automaticTone(kPlain);
        s.shoulder = 50;
        QVERIFY(ToneCurve(s, kPlain).luminance(kPlain.peakEv) > 0.99);
        s.shoulder = 0; // two stops less reach white
        QVERIFY(ToneCurve(s, kPlain).luminance(kPlain.peakEv - 2.0) > 0.99);
        s.shoulder = 100;
        QVERIFY(ToneCurve(s, kPlain).luminance(kPlain.peakEv) < 0.95);
        QVERIFY(ToneCurve(s, kPlain).luminance(kPlain.peakEv + 2.0) > 0.99);
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
};

QTEST_GUILESS_MAIN(TestToneCurve)
#include "tst_tone_curve.moc"
