// The epipole: what the camera displaced, and what moved by itself.
#include "align/camera_motion.h"

#include <QTest>

#include <cmath>
#include <random>

using namespace yolk;

namespace {

constexpr int kWidth = 1200, kHeight = 800;

/// Places at random depths whose displacement leads from the epipole (x, y, w), with an uncertainty of 0.2 pixels.
std::vector<Displaced> still(double x, double y, double w, double furthest, int count = 3000)
{
    std::mt19937 random(4);
    std::uniform_real_distribution<double> across(0.0, kWidth), down(0.0, kHeight), depth(0.0, furthest);
    std::normal_distribution<double> slip(0.0, 0.2);
    std::vector<Displaced> out;
    for (int i = 0; i < count; ++i) {
        const Point at{across(random), down(random)};
        const double ux = x - w * at.x, uy = y - w * at.y, length = std::hypot(ux, uy), by = depth(random);
        out.push_back({at, {by * ux / length + slip(random), by * uy / length + slip(random)}});
    }
    return out;
}

/// A thing of 200 pixels that walked, seen at many places.
std::vector<Displaced> walked(Point by)
{
    std::vector<Displaced> out;
    for (int i = 0; i < 2500; ++i)
        out.push_back({{300.0 + i % 50 * 4.0, 300.0 + i / 50 * 4.0}, by});
    return out;
}

double shareThatFollows(const Epipole &epipole, const std::vector<Displaced> &all)
{
    return double(std::ranges::count_if(all, [&](const auto &d) { return followsCamera(epipole, d); })) /
           double(all.size());
}

} // namespace

class TestCameraMotion : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void whatStandsIsToldFromWhatWalks_data()
    {
        QTest::addColumn<double>("x");
        QTest::addColumn<double>("y");
        QTest::addColumn<double>("w");
        QTest::newRow("aside") << 1.0 << 0.1 << 0.0;
        QTest::newRow("down") << 0.0 << 1.0 << 0.0;
        QTest::newRow("ahead, in the picture") << 700.0 << 500.0 << 1.0;
        QTest::newRow("ahead, beside it") << -900.0 << 300.0 << 1.0;
    }
    void whatStandsIsToldFromWhatWalks()
    {
        QFETCH(double, x);
        QFETCH(double, y);
        QFETCH(double, w);
        const std::vector<Displaced> things = still(x, y, w, 15.0);
        const double ux = x - w * 400.0, uy = y - w * 400.0, length = std::hypot(ux, uy);
        const std::vector<Displaced> mover = walked({-14.0 * uy / length, 14.0 * ux / length}); // across
        std::vector<Displaced> all = things;
        all.insert(all.end(), mover.begin(), mover.end());
        const auto found = epipoleOf(all, kWidth, kHeight);
        QVERIFY(found.has_value());
        QVERIFY2(shareThatFollows(*found, things) > 0.97,
                 qPrintable(QString::number(shareThatFollows(*found, things))));
        QVERIFY2(shareThatFollows(*found, mover) < 0.1, qPrintable(QString::number(shareThatFollows(*found, mover))));
    }
    void nobodyCanTell()
    {
        QVERIFY(!epipoleOf({}, kWidth, kHeight));
        QVERIFY(!epipoleOf(still(1, 0, 0, 0.5), kWidth, kHeight)); // hardly anything is displaced
        QVERIFY(!epipoleOf(walked({9, 3}), kWidth, kHeight));      // one thing alone
        std::mt19937 random(6);
        std::normal_distribution<double> any(0.0, 6.0);
        std::vector<Displaced> noise = still(1, 0, 0, 1.0);
        for (Displaced &d : noise)
            d.by = {any(random), any(random)};
        QVERIFY(!epipoleOf(noise, kWidth, kHeight));
    }
    void sameEveryTime()
    {
        const std::vector<Displaced> all = still(700, 500, 1, 12.0);
        const auto a = epipoleOf(all, kWidth, kHeight), b = epipoleOf(all, kWidth, kHeight);
        for (const Displaced &d : all)
            QCOMPARE(a->offLine(d), b->offLine(d));
    }
    void distanceFromALine()
    {
        const Epipole right(1, 0, 0), middle(600, 400, 1);
        QVERIFY(std::abs(right.offLine({{10, 10}, {7, 3}}) - 3.0) < 1e-9);
        QVERIFY(std::abs(middle.offLine({{600, 100}, {3, 50}}) - 3.0) < 1e-9);
        QVERIFY(std::abs(middle.offLine({{600, 400}, {3, 4}}) - 5.0) < 1e-9); // at the epipole itself nothing moves
    }
};

QTEST_APPLESS_MAIN(TestCameraMotion)
#include "tst_camera_motion.moc"
