#include "frames/exposure.h"
#include "frames/noise_model.h"
#include "support/near.h"

#include <QTest>

#include <cmath>

using namespace yolk;
using yolk::test::compareNear;

namespace {

Metadata marked(std::optional<double> seconds, std::optional<double> fNumber = 8.0, std::optional<double> iso = 100.0)
{
    Metadata m;
    m.exposureSeconds = seconds;
    m.fNumber = fNumber;
    m.iso = iso;
    return m;
}

} // namespace

class TestExposure : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void exposureValueOfASunnyDay()
    {
        // f/16 at 1/125 s: EV 14.97 as marked (ISO 2720), 15 by exact steps.
        compareNear(exposureValue(16, 1.0 / 125), 14.966, 1e-3);
        compareNear(exposureValue(exactFNumber(16, StepFamily::Thirds), exactSeconds(1.0 / 125, StepFamily::Thirds)),
                    15.0, 1e-12);
    }
    void markedStepsStandForExactOnes_data()
    {
        // Common practice, no published source.
        QTest::addColumn<double>("marked");
        QTest::addColumn<double>("exact");
        QTest::newRow("1/30") << 1.0 / 30 << 1.0 / 32;
        QTest::newRow("1/60") << 1.0 / 60 << 1.0 / 64;
        QTest::newRow("1/125") << 1.0 / 125 << 1.0 / 128;
        QTest::newRow("1/15") << 1.0 / 15 << 1.0 / 16;
        QTest::newRow("15") << 15.0 << 16.0;
        QTest::newRow("30") << 30.0 << 32.0;
        QTest::newRow("1/4000") << 1.0 / 4000 << 1.0 / 4096;
    }
    void markedStepsStandForExactOnes()
    {
        QFETCH(double, marked);
        QFETCH(double, exact);
        compareNear(exactSeconds(marked, StepFamily::Thirds), exact, exact * 1e-12);
        compareNear(exactSeconds(marked, StepFamily::Halves), exact, exact * 1e-12);
        QCOMPARE(exactSeconds(marked, StepFamily::AsWritten), marked);
    }
    void markedApertures()
    {
        for (const auto &[shown, exact] : {std::pair(5.6, std::sqrt(32.0)), std::pair(11.0, std::sqrt(128.0)),
                                           std::pair(22.0, std::sqrt(512.0)), std::pair(8.0, 8.0)})
            compareNear(exactFNumber(shown, StepFamily::Thirds), exact, 1e-9);
    }
    void everyMarkedThirdIsRecognised()
    {
        // The usual dial in thirds of a stop from 30 s to 1/8000 s (common practice, no published source).
        const std::vector<double> dial{
            30,        25,        20,        15,        13,       10,        8,         6,         5,         4,
            3.2,       2.5,       2,         1.6,       1.3,      1,         0.8,       0.6,       0.5,       0.4,
            0.3,       1 / 4.,    1 / 5.,    1 / 6.,    1 / 8.,   1 / 10.,   1 / 13.,   1 / 15.,   1 / 20.,   1 / 25.,
            1 / 30.,   1 / 40.,   1 / 50.,   1 / 60.,   1 / 80.,  1 / 100.,  1 / 125.,  1 / 160.,  1 / 200.,  1 / 250.,
            1 / 320.,  1 / 400.,  1 / 500.,  1 / 640.,  1 / 800., 1 / 1000., 1 / 1250., 1 / 1600., 1 / 2000., 1 / 2500.,
            1 / 3200., 1 / 4000., 1 / 5000., 1 / 6400., 1 / 8000.};
        QCOMPARE(stepFamilyOf(dial), StepFamily::Thirds);
        for (size_t i = 0; i + 1 < dial.size(); ++i)
            compareNear(
                std::log2(exactSeconds(dial[i], StepFamily::Thirds) / exactSeconds(dial[i + 1], StepFamily::Thirds)),
                1.0 / 3.0, 1e-9);
    }
    void halvesAndOddTimes()
    {
        QCOMPARE(stepFamilyOf(std::vector{1 / 45., 1 / 90., 1 / 180., 1 / 350., 1 / 750.}), StepFamily::Halves);
        QCOMPARE(stepFamilyOf(std::vector{1 / 37., 1 / 111., 0.4423}), StepFamily::AsWritten);
        QCOMPARE(stepFamilyOf(std::vector<double>{}), StepFamily::Thirds);
    }
    void oneStopApart()
    {
        // Same aperture and ISO: 1/10, 1/20 and 1/40 s are +1, 0 and -1 EV (common practice, no published source).
        const auto e = statedExposures(std::vector{marked(1 / 10.), marked(1 / 20.), marked(1 / 40.)});
        compareNear(std::log2(*e[0] / *e[1]), 1.0, 1e-9);
        compareNear(std::log2(*e[2] / *e[1]), -1.0, 1e-9);
    }
    void apertureAndIsoCount()
    {
        const auto e = statedExposures(
            std::vector{marked(1 / 60., 8.0, 100.0), marked(1 / 60., 5.6, 100.0), marked(1 / 60., 8.0, 400.0)});
        compareNear(std::log2(*e[1] / *e[0]), 1.0, 1e-9);
        compareNear(std::log2(*e[2] / *e[0]), 2.0, 1e-9);
    }
    void missingPartsAreTakenFromTheOthers()
    {
        const auto e = statedExposures(
            std::vector{marked(1 / 60., 4.0), marked(1 / 60., std::nullopt), marked(std::nullopt, 4.0)});
        compareNear(*e[0], *e[1], 1e-12);
        QVERIFY(!e[2].has_value());
        Metadata apexOnly;
        apexOnly.shutterApex = 5.0;
        QVERIFY(statedExposures(std::vector{apexOnly})[0].has_value());
    }
    void oddTimesPreferTheFinerTag()
    {
        Metadata m = marked(0.011); // 1/90.9, written roughly
        m.shutterApex = 6.53;
        const auto e = statedExposures(std::vector{m, marked(1 / 37.), marked(0.4423)});
        compareNear(*e[0], relativeExposure(std::exp2(-6.53), 8.0, 100.0), 1e-12);
    }
    void noiseModelInverts()
    {
        const NoiseModel noise = defaultNoise(8, 400);
        for (double snr : {1.0, 10.0, 50.0}) {
            const double z = noise.levelOfSnr(snr);
            compareNear(z / std::sqrt(noise.variance(z)), snr, 1e-9 * snr);
        }
        QVERIFY(defaultNoise(8, 100).gain > defaultNoise(16, 100).gain);
        QVERIFY(defaultNoise(16, 1600).gain > defaultNoise(16, 100).gain * 15);
    }
};

QTEST_GUILESS_MAIN(TestExposure)
#include "tst_exposure.moc"
