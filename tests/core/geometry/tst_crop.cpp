// Crops that are dragged, corners that are pulled, and pictures that straighten themselves in worlds that nobody tuned.
#include "geometry/crop_shape.h"
#include "geometry/pull.h"
#include "worlds/buildings.h"

#include <QTest>

#include <cmath>
#include <random>

using namespace yolk;

namespace {

constexpr int kWidth = 1500, kHeight = 1000;
const RealRect kFrame{0, 0, kWidth, kHeight};

RealRect areaOf(const GeometrySettings &s, const PictureMap &map)
{
    return {s.left * map.width(), s.top * map.height(), s.right * map.width(), s.bottom * map.height()};
}

} // namespace

class TestCrop : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void aFreeSideMovesAlone()
    {
        const PictureMap map({}, kWidth, kHeight);
        const GeometrySettings s = cropDragged({}, kFrame, {1, 0}, {-300, 77}, map, kFrame);
        QCOMPARE(s.right, 0.8);
        QCOMPARE(s.left, 0.0);
        QCOMPARE(s.bottom, 1.0);
        const GeometrySettings corner = cropDragged({}, kFrame, {-1, -1}, {150, 100}, map, kFrame);
        QCOMPARE(corner.left, 0.1);
        QCOMPARE(corner.top, 0.1);
        // Not beyond the plane, nor to nothing.
        QCOMPARE(cropDragged({}, kFrame, {1, 1}, {500, 500}, map, kFrame).right, 1.0);
        const RealRect least = areaOf(cropDragged({}, kFrame, {1, 1}, {-5000, -5000}, map, kFrame), map);
        QVERIFY(std::abs(least.x1 - least.x0 - 16.0) < 1e-9 && std::abs(least.y1 - least.y0 - 16.0) < 1e-9);
    }
    void aShapeIsKept()
    {
        std::mt19937 random(5);
        std::uniform_real_distribution<double> unit(-1.0, 1.0);
        const PictureMap map({}, kWidth, kHeight);
        GeometrySettings s;
        s.shape = CropShape::FiveFour;
        s = croppedTo(s, *shapeOf(s, kWidth, kHeight), kWidth, kHeight);
        for (int i = 0; i < 200; ++i) {
            const CropGrip grip{int(random() % 3) - 1, int(random() % 3) - 1};
            const RealRect from = areaOf(s, map);
            s = cropDragged(s, from, grip, {300.0 * unit(random), 300.0 * unit(random)}, map, kFrame);
            const RealRect to = areaOf(s, map);
            const double ratio = (to.x1 - to.x0) / (to.y1 - to.y0);
            QVERIFY2(std::abs(ratio - 1.25) < 1e-9, qPrintable(QString::number(ratio)));
            QVERIFY(to.x0 > -1e-9 && to.y0 > -1e-9 && to.x1 < kWidth + 1e-9 && to.y1 < kHeight + 1e-9);
            if (grip.across > 0) // what lies across stays
                QVERIFY(std::abs(to.x0 - from.x0) < 1e-9);
            if (grip.down < 0)
                QVERIFY(std::abs(to.y1 - from.y1) < 1e-9);
            if (grip == CropGrip{})
                QVERIFY(std::abs((to.x1 - to.x0) - (from.x1 - from.x0)) < 1e-9);
        }
        // An upright crop stays upright, also by a shape of its own.
        s = croppedTo(s, 0.8, kWidth, kHeight);
        QVERIFY(std::abs(*shapeOf(s, kWidth, kHeight) - 0.8) < 1e-12);
        s.shape = CropShape::Own;
        s.ownShape = 2.39;
        QCOMPARE(*shapeOf(s, kWidth, kHeight), 2.39);
        s.shape = CropShape::Free;
        QVERIFY(!shapeOf(s, kWidth, kHeight));
    }
    void cornersStayOnThePicture() // while it is turned: no empty corners, and it slides along the edge that holds it
    {
        std::mt19937 random(8);
        std::uniform_real_distribution<double> unit(-1.0, 1.0);
        for (int i = 0; i < 60; ++i) {
            GeometrySettings s;
            s.angle = 10.0 * unit(random);
            s.tilt = 8.0 * unit(random);
            s.shape = i % 2 ? CropShape::Free : CropShape::Square;
            const PictureMap map(s, kWidth, kHeight);
            const RealRect start = map.covered({300, 200, 1200, 800}, kFrame);
            const CropGrip grip{int(random() % 3) - 1, int(random() % 3) - 1};
            const RealRect to =
                areaOf(cropDragged(s, start, grip, {900.0 * unit(random), 900.0 * unit(random)}, map, kFrame), map);
            QVERIFY(map.isCovered({to.x0 + 1e-4, to.y0 + 1e-4, to.x1 - 1e-4, to.y1 - 1e-4}, kFrame));
        }
        GeometrySettings s;
        s.angle = 5.0;
        const PictureMap map(s, kWidth, kHeight);
        const RealRect start{500, 300, 1000, 700};
        const RealRect to = areaOf(cropDragged(s, start, {0, 0}, {900, -60}, map, kFrame), map);
        QVERIFY(to.x1 > 1400.0 && to.y0 < 241.0); // to the right as far as there is, and up as asked
        s.corners = Corners::Leave;
        QCOMPARE(areaOf(cropDragged(s, start, {1, 1}, {900, 900}, map, kFrame), map).x1, double(kWidth)); // as wanted
    }
    void whatIsPulledComesAlong()
    {
        const Optics optics(28.0 / 36.0);
        const Point egg{150.0, 100.0};
        const GeometrySettings side = pulled({}, egg, {120.0, 100.0}, kWidth, kHeight, optics);
        QVERIFY(side.swing == 0.0 && side.tilt > 1.0); // wider above
        QVERIFY(std::abs(PictureMap(side, kWidth, kHeight, optics).toPicture(egg).x - 120.0) < 1e-4);
        const GeometrySettings up = pulled({}, egg, {150.0, 80.0}, kWidth, kHeight, optics);
        QVERIFY(up.tilt == 0.0 && up.swing != 0.0);
        QVERIFY(std::abs(PictureMap(up, kWidth, kHeight, optics).toPicture(egg).y - 80.0) < 1e-4);
        // There and back, from the middle nothing, never beyond what settings hold.
        const GeometrySettings back = pulled(side, egg, egg, kWidth, kHeight, optics);
        QVERIFY(std::abs(back.tilt) < 1e-6);
        const GeometrySettings still = pulled({}, {750, 500}, {800, 600}, kWidth, kHeight, optics);
        QVERIFY(still.tilt == 0.0 && still.swing == 0.0);
        const GeometrySettings far = pulled({}, egg, {-9000.0, 9000.0}, kWidth, kHeight, optics);
        QVERIFY(std::abs(far.tilt) <= 45.0 && std::abs(far.swing) <= 45.0);
        GeometrySettings half;
        half.tilt = 8.0;
        half.strength = 50.0;
        const GeometrySettings kept =
            pulled(half, egg, PictureMap(half, kWidth, kHeight, optics).toPicture(egg), kWidth, kHeight, optics);
        QVERIFY(std::abs(kept.tilt - 4.0) < 1e-6 && kept.strength == 100.0);
    }
    void wallsOfStrangeWorldsStandUpright() // a few; two hundred of them are the bench's
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        for (uint64_t seed = 800; seed < 804; ++seed) {
            const worlds::Buildings world = worlds::buildingsOf(seed, ctx);
            const worlds::StraightenVerdict v = worlds::judgeStraightening(world, ctx);
            if (world.speaks)
                QVERIFY2(v.found && v.angle < 0.1 && v.uprights < 0.2,
                         qPrintable(QStringLiteral("%1: %2 %3").arg(seed).arg(v.angle).arg(v.uprights)));
            else
                QVERIFY(!v.found || v.levelAngle < 0.1); // by the horizon
        }
    }
};

QTEST_GUILESS_MAIN(TestCrop)
#include "tst_crop.moc"
