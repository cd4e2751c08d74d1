// Dust on the sensor: frames that move over it, and frames that do not.
#include "mend/dust.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>

using namespace yolk;

namespace {

constexpr int kWidth = 480, kHeight = 360;

/// Light at a place of the scene, and what the sensor lets through at one of its own.
using Light = std::function<double(double x, double y)>;

struct Speck {
    double x, y, radius, depth;
};

Light sensorWith(const std::vector<Speck> &specks)
{
    return [specks](double x, double y) {
        double out = 1.0;
        for (const Speck &s : specks)
            if (const double d = std::hypot(x - s.x, y - s.y) / s.radius; d < 1.0)
                out *= 1.0 - s.depth * (1.0 - d * d) * (1.0 - d * d);
        return out;
    };
}

/// Smooth light, and over it grain of half a stop that is `size` pixels large.
Light grainy(double size)
{
    return [size](double x, double y) {
        const auto grain = [](int i, int j) {
            uint32_t h = uint32_t(i) * 374761393u + uint32_t(j) * 668265263u;
            h = (h ^ (h >> 13)) * 1274126177u;
            return double((h ^ (h >> 16)) & 0xffffu) / 65535.0 - 0.5;
        };
        const double u = x / size + 1000.0, v = y / size + 1000.0, across = u - std::floor(u), down = v - std::floor(v);
        const int i = int(u), j = int(v);
        const double stop = (grain(i, j) * (1 - across) + grain(i + 1, j) * across) * (1 - down) +
                            (grain(i, j + 1) * (1 - across) + grain(i + 1, j + 1) * across) * down;
        return 0.12 * std::exp2(stop + x / kWidth);
    };
}

double smooth(double x, double y)
{
    return 0.1 * std::exp2(1.2 * x / kWidth + 0.5 * y / kHeight);
}

/// A frame of the scene shifted by whole pixels, with its noise.
DustFrame frameOf(const Light &scene, const Light &sensor, double ev, Point shift, uint64_t seed)
{
    Image<float> light(kWidth, kHeight, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                light.row(c, y)[x] =
                    float(scene(x + 0.5, y + 0.5) * sensor(x + 0.5 + shift.x, y + 0.5 + shift.y)); // on the reference
    const demo::Shot shot = test::shotAt(ev, 1.0, seed);
    const Image<uint16_t> codes = test::codesOf(demo::expose(light.view(), shot).view());
    SerialRunner runner;
    ExecContext ctx(runner);
    const NoiseModel noise{1.0 / demo::kFullWell, std::pow(demo::kReadNoise / demo::kFullWell, 2.0)};
    return {guideOf({codes.view(), std::exp2(ev), noise}, 8e6, ctx),
            {Matrix3{{1, 0, shift.x, 0, 1, shift.y, 0, 0, 1}}}};
}

std::vector<FoundDust> foundIn(const Light &scene, const Light &sensor, const std::vector<Point> &shifts)
{
    std::vector<DustFrame> frames;
    for (size_t i = 0; i < shifts.size(); ++i)
        frames.push_back(frameOf(scene, sensor, double(i) - 1.0, shifts[i], 7 + i));
    SerialRunner runner;
    ExecContext ctx(runner);
    return findDust(frames, ctx);
}

const std::vector<Point> kHandHeld{{0, 0}, {23, -14}, {-31, 17}}, kTripod{{0, 0}, {0, 0}, {0, 0}};
const std::vector<Speck> kSpecks{{90, 80, 5, 0.12}, {300, 110, 8, 0.08}, {200, 250, 9, 0.06}, {400, 280, 6, 0.3}};

bool isFound(const std::vector<FoundDust> &dust, const Speck &speck)
{
    return std::ranges::any_of(dust, [&](const FoundDust &d) {
        return std::hypot(d.spot.x - speck.x, d.spot.y - speck.y) < 0.3 * speck.radius + 1.0 &&
               d.spot.radius > 0.6 * speck.radius && d.spot.radius < 1.7 * speck.radius &&
               d.spot.depth > 0.5 * speck.depth && d.spot.depth < 1.5 * speck.depth;
    });
}

} // namespace

class TestDust : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void dustStaysWhereTheSceneMoves_data()
    {
        QTest::addColumn<double>("grain");
        for (const double grain : {0.0, 5.0, 12.0})
            QTest::newRow(qPrintable(QString::number(grain))) << grain;
    }
    void dustStaysWhereTheSceneMoves()
    {
        QFETCH(double, grain);
        const Light scene = grain > 0.0 ? grainy(grain) : Light(smooth);
        const std::vector<FoundDust> dust = foundIn(scene, sensorWith(kSpecks), kHandHeld);
        for (const Speck &speck : kSpecks)
            QVERIFY2(isFound(dust, speck), qPrintable(QString("at %1 %2").arg(speck.x).arg(speck.y)));
        QCOMPARE(dust.size(), kSpecks.size());
        QVERIFY(foundIn(scene, sensorWith({}), kHandHeld).empty());
    }
    void whatMovesWithTheSceneIsNoDust()
    {
        // Dark spots of the scene itself, on smooth light.
        const Light spots = sensorWith(kSpecks);
        const Light scene = [&](double x, double y) { return smooth(x, y) * spots(x, y); };
        QVERIFY(foundIn(scene, sensorWith({}), kHandHeld).empty());
    }
    void onATripodOnlySmoothLightTells()
    {
        const std::vector<FoundDust> dust = foundIn(smooth, sensorWith(kSpecks), kTripod);
        for (const Speck &speck : kSpecks)
            QVERIFY2(isFound(dust, speck), qPrintable(QString("at %1 %2").arg(speck.x).arg(speck.y)));
        QCOMPARE(dust.size(), kSpecks.size());
        QVERIFY(foundIn(smooth, sensorWith({}), kTripod).empty());
        // Among grain of its own size nobody can say so.
        QVERIFY(foundIn(grainy(12.0), sensorWith({}), kTripod).empty());
        QVERIFY(foundIn(smooth, sensorWith(kSpecks), {{0, 0}}).size() >= 2); // a single frame
    }
    void edgesAreNoDust()
    {
        const Light scene = [](double x, double y) {
            const bool left = x + 0.3 * y < 250.0, top = std::fmod(y, 60.0) < 4.0;
            return (left ? 0.08 : 0.4) * (top ? 0.5 : 1.0);
        };
        QVERIFY(foundIn(scene, sensorWith({}), kHandHeld).empty());
        QVERIFY(foundIn(scene, sensorWith({}), kTripod).empty());
    }
    void sameBitsAndStops()
    {
        std::vector<DustFrame> frames;
        for (size_t i = 0; i < 3; ++i)
            frames.push_back(frameOf(grainy(5.0), sensorWith(kSpecks), double(i) - 1.0, kHandHeld[i], 7 + i));
        SerialRunner serial;
        ThreadRunner threads;
        ExecContext one(serial), many(threads);
        const std::vector<FoundDust> a = findDust(frames, one), b = findDust(frames, many);
        QCOMPARE(a.size(), b.size());
        for (size_t i = 0; i < a.size(); ++i)
            QVERIFY(a[i].spot == b[i].spot);
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(serial, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, findDust(frames, stopped));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, findDust({}, one));
    }
};

QTEST_APPLESS_MAIN(TestDust)
#include "tst_dust.moc"
