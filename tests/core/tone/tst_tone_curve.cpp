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
        QCOMPARE(photographic(1.0), 0.5); // [Reinhard2002] equation 3, by hand
        QCOMPARE(photographic(3.0), 0.75);
    }
    void brightEndIsBent()
    {
        for (double slope : {0.3, 1.0, 1.25})
            for (double wanted : {0.5, 2.0, 5.0, 7.0}) {
                const BrightBend bend(slope, 6.0, wanted);
                QVERIFY(std::abs((bend(1e-3) - bend(0.0)) / 1e-3 - slope) < 0.02 * slope + 5e-3); // no kink at grey
                const bool reaches = wanted < slope * 6.0 + 0.5;
                if (reaches)
                    QVERIFY2(std::abs(bend(6.0) - wanted) < 1e-6, qPrintable(QString::number(bend(6.0))));
                for (double x = 0.0; x < 12.0; x += 0.1)
                    QVERIFY(bend(x + 0.1) > bend(x));
            }
        QVERIFY(std::abs(BrightBend(1.0, 4.0, 4.0)(3.0) - 3.0) < 1e-6); // straight where nothing is to be bent
        const BrightBend steep(0.5, 4.0, 100.0);                        // no steeper than four stops for one
        QVERIFY((steep(4.0) - steep(3.99)) / 0.01 < 4.0);
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
            ToneSettings settings = automaticTone(start);
            const double room = ToneCurve(settings, start).lightness(start.roomEv); // the mean of its lights is 44
            QVERIFY2(room > 24.0 && room < 62.0, qPrintable(QString::number(room)));
            settings.toe = 0.0;
            // What the brightest light comes to, by derivation: room for detail under local, none under global.
            QVERIFY(std::abs(ToneCurve(settings, start).luminance(start.peakEv) - 0.8) < 1e-6);
            settings.method = ToneMethod::Global;
            QVERIFY(std::abs(ToneCurve(settings, start).luminance(start.peakEv) - 0.94) < 1e-6);
        }
        QVERIFY(ToneCurve(automaticTone(kDark), kDark).lightness(kDark.lowEv) < 8.0);
        const ToneStart deep = completed({-12.0, -3.0, 2.0, 3.0}); // deeper shadows, more squeeze
        QVERIFY(automaticTone(deep).range > automaticTone(kPlain).range + 20);
        const ToneStart fog = completed({-1.0, 0.0, 1.0, 1.2}); // what fits is not squeezed, and stays soft
        QCOMPARE(automaticTone(fog).range, 0.0);
        QCOMPARE(automaticTone(fog).toe, 0.0);
        ToneStart coloured = kPlain; // a light in its own colour ends below white, so it is shown darker
        coloured.peakColour = 2.0;
        ToneSettings global = automaticTone(kPlain);
        global.method = ToneMethod::Global;
        QVERIFY(ToneCurve(global, coloured).luminance(kPlain.peakEv) <
                ToneCurve(global, kPlain).luminance(kPlain.peakEv) - 0.05);
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
    void shoulderMovesTheBrightEnd()
    {
        ToneSettings s = automaticTone(kPlain);
        double last = 1.0;
        for (double shoulder : {0.0, 25.0, 50.0, 75.0, 100.0}) { // each quarter of its way shows
            s.shoulder = shoulder;
            const ToneCurve curve(s, kPlain);
            QVERIFY(curve.luminance(kPlain.peakEv) < last - (shoulder > 0.0 ? 0.01 : 0.0));
            last = curve.luminance(kPlain.peakEv);
            QVERIFY(std::abs(curve.luminance(-s.exposure) -
                             ToneCurve(automaticTone(kPlain), kPlain).luminance(-s.exposure)) <
                    1e-9); // middle grey stays
        }
        s.shoulder = 0;
        QVERIFY(ToneCurve(s, kPlain).luminance(kPlain.peakEv) > 0.95);
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
