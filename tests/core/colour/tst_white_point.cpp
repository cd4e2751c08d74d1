#include "base/errors.h"
#include "colour/white_point.h"

#include <QTest>

#include <cmath>

using namespace yolk;

class TestWhitePoint : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void illuminantsHaveTheirTemperatures_data()
    {
        QTest::addColumn<double>("x");
        QTest::addColumn<double>("y");
        QTest::addColumn<double>("temperature");
        QTest::addColumn<double>("tint"); // CIE 1960 distance from the locus, thousandths
        // Chromaticities and correlated colour temperatures of CIE 15.
        QTest::newRow("A") << 0.44757 << 0.40745 << 2856.0 << 0.0;
        QTest::newRow("D50") << 0.34567 << 0.35850 << 5003.0 << 0.0;
        QTest::newRow("D55") << 0.33242 << 0.34743 << 5503.0 << 0.0;
        QTest::newRow("D65") << 0.31272 << 0.32903 << 6504.0 << 0.0;
        QTest::newRow("D75") << 0.29902 << 0.31485 << 7504.0 << 0.0;
    }
    void illuminantsHaveTheirTemperatures()
    {
        QFETCH(double, x);
        QFETCH(double, y);
        QFETCH(double, temperature);
        QFETCH(double, tint);
        const WhitePoint w = whitePointOf({x, y});
        // The rational locus lies within 5e-5 of the true one: 0.2 % of the temperature at these places.
        QVERIFY2(std::abs(w.temperature / temperature - 1.0) < 2e-3, qPrintable(QString::number(w.temperature)));
        QVERIFY2(std::abs(w.tint - tint) < 0.25, qPrintable(QString::number(w.tint)));
    }
    void daylightKeepsItsTemperature()
    {
        // CIE 15: the daylight locus from 4000 to 7000 K; daylight of T has the correlated temperature T.
        for (double t = 4000; t <= 7000; t += 250) {
            const double x = -4.6070e9 / (t * t * t) + 2.9678e6 / (t * t) + 99.11 / t + 0.244063;
            const double y = -3.0 * x * x + 2.870 * x - 0.275;
            const WhitePoint w = whitePointOf({x, y});
            QVERIFY(std::abs(w.temperature / t - 1.0) < 3e-3);
            QVERIFY(t < 5000 || std::abs(w.tint) < 0.1);
        }
    }
    void correlatedTemperatureOfTheLocus()
    {
        // McCamy 1992: n = (x - 0.3320) / (0.1858 - y); T = 449 n^3 + 3525 n^2 + 6823.3 n + 5520.33, within 1 % of
        // daylight and of the Planckian locus from 2856 to some 9000 K (from memory).
        for (double t = 2600; t <= 9000; t += 100) {
            const Chromaticity c = chromaticityOf({t, 0.0});
            const double n = (c.x - 0.3320) / (0.1858 - c.y);
            const double correlated = 449.0 * n * n * n + 3525.0 * n * n + 6823.3 * n + 5520.33;
            QVERIFY2(std::abs(correlated / t - 1.0) < 0.01, qPrintable(QStringLiteral("%1 %2").arg(t).arg(correlated)));
        }
    }
    void tablesOfThePlanckianLocus()
    {
        // Robertson 1968, table of isotemperature lines: reciprocal megakelvin, CIE 1960 u, v (from memory).
        constexpr double kTable[][3] = {{100, 0.19032, 0.29326}, {125, 0.19462, 0.30141}, {150, 0.19962, 0.30921},
                                        {175, 0.20525, 0.31647}, {200, 0.21142, 0.32312}, {225, 0.21807, 0.32909},
                                        {250, 0.22511, 0.33439}, {275, 0.23247, 0.33904}, {300, 0.24010, 0.34308},
                                        {350, 0.25591, 0.34951}, {400, 0.27218, 0.35407}};
        for (const auto &[mired, u, v] : kTable) {
            const double d = 2.0 * u - 8.0 * v + 4.0, t = 1e6 / mired; // 10 000 to 2500 K
            const WhitePoint w = whitePointOf({3.0 * u / d, 2.0 * v / d});
            QVERIFY2(std::abs(w.temperature / t - 1.0) < 0.01,
                     qPrintable(QStringLiteral("%1 K: %2").arg(t).arg(w.temperature)));
            QVERIFY(t > 4000.0 || std::abs(w.tint) < 0.25); // thousandths; daylight lies above it
        }
    }
    void lociJoinSmoothly()
    {
        // Along reciprocal temperature the locus turns a little, nowhere by a jump.
        double before = 0.0, largest = 0.0;
        for (double mired = 150.0; mired < 300.0; mired += 1.0) {
            const auto at = [](double m) { return chromaticityOf({1e6 / m, 0.0}); };
            const Chromaticity a = at(mired), b = at(mired + 1.0);
            const double angle = std::atan2(b.y - a.y, b.x - a.x);
            if (mired > 150.0)
                largest = std::max(largest, std::abs(angle - before));
            before = angle;
        }
        QVERIFY2(largest < 0.03, qPrintable(QString::number(largest)));
    }
    void oldTintsKeepTheirLight()
    {
        // D65 by the old measure, and warm lamps, of which both measures are the same.
        const WhitePoint day = fromPlanckian({6504.0, 3.2}), lamp = fromPlanckian({3000.0, -4.0});
        QVERIFY(std::abs(day.temperature - 6504.0) < 15.0 && std::abs(day.tint) < 0.25);
        QVERIFY(std::abs(lamp.temperature - 3000.0) < 1.0 && std::abs(lamp.tint + 4.0) < 1e-2);
    }
    void bothWaysGiveTheSame()
    {
        for (double t : {1500.0, 2000.0, 3200.0, 5000.0, 6504.0, 12000.0, 25000.0})
            for (double tint : {-40.0, -10.0, 0.0, 3.2, 25.0}) {
                const WhitePoint back = whitePointOf(chromaticityOf({t, tint}));
                QVERIFY2(std::abs(back.temperature / t - 1.0) < 1e-4,
                         qPrintable(QString("%1 K, %2: %3 K").arg(t).arg(tint).arg(back.temperature)));
                QVERIFY(std::abs(back.tint - tint) < 1e-2);
            }
    }
    void greenIsAboveTheLocus()
    {
        const Chromaticity on = chromaticityOf({5000, 0}), above = chromaticityOf({5000, 20});
        QVERIFY(above.y > on.y);
        QVERIFY(chromaticityOf({3000, 0}).x > on.x); // warmer is redder
    }
    void endsAreHeld()
    {
        QVERIFY_THROWS_EXCEPTION(ArgumentError, chromaticityOf({1000, 0}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, chromaticityOf({std::nan(""), 0}));
        const WhitePoint red = whitePointOf({0.70, 0.29}), blue = whitePointOf({0.15, 0.05});
        QCOMPARE(red.temperature, kWarmestWhite);
        QVERIFY(std::abs(red.tint) <= kLargestTint);
        QVERIFY(blue.temperature > 20000 && std::abs(blue.tint) <= kLargestTint);
    }
};

QTEST_GUILESS_MAIN(TestWhitePoint)
#include "tst_white_point.moc"
