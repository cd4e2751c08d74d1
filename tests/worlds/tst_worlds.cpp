// A dozen small worlds from end to end: what nobody tuned on must hold too. Large numbers of them are the bench's.
#include "worlds/judge.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;
using namespace yolk::worlds;

class TestWorlds : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

private Q_SLOTS:
    void sameSeedSameWorld()
    {
        ThreadRunner runner;
        ExecContext a(runner), b(runner);
        SerialRunner serial;
        const World world = worldOf(5, 240, 160);
        const ShotWorld first = shoot(world, dir_.filePath("a").toStdString(), a);
        ExecContext alone(serial);
        const ShotWorld second = shoot(world, dir_.filePath("b").toStdString(), alone);
        QCOMPARE(first.clipsAt, second.clipsAt);
        for (size_t i = 0; i < first.paths.size(); ++i) {
            const FramePtr x = loadFrame(first.paths[i]), y = loadFrame(second.paths[i]);
            QCOMPARE(x->id, y->id);
        }
    }
    void curvesAreTheirOwnInverse()
    {
        for (uint64_t seed = 0; seed < 40; ++seed) {
            const World world = worldOf(seed);
            for (int c = 0; c < 3; ++c)
                for (double z : {0.01, 0.2, 0.9}) {
                    const double code = world.code(z, c),
                                 y = code <= 0.04045 ? code / 12.92 : std::pow((code + 0.055) / 1.055, 2.4);
                    QVERIFY(std::abs(trueLight(world, y, c) - z) < 1e-4);
                }
        }
    }
    void noiseOfJpegIsWhatItsQuantisersSay_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed : {106, 128, 136}) // qualities that differ, everything at rest in the first frame
            QTest::addRow("%d", seed) << seed;
    }
    void noiseOfJpegIsWhatItsQuantisersSay()
    {
        QFETCH(int, seed);
        World world = worldOf(uint64_t(seed), 480, 320);
        world.flicker = 0.0;
        QVERIFY(world.kind == FileKind::PlainJpeg);
        ThreadRunner runner;
        ExecContext shooting(runner), decoding(runner);
        const ShotWorld shot = shoot(world, dir_.filePath("jpeg").toStdString(), shooting);
        const FramePtr frame = loadFrame(shot.paths[0]);
        const Image<uint16_t> codes = decodeFrame(*frame, 1, decoding);
        double squares = 0.0, said = 0.0, count = 0.0;
        for (int y = 0; y < codes.height(); ++y)
            for (int x = 0; x < codes.width(); ++x) {
                const double z = double(shot.seen[0].row(1, y)[x]) / shot.clipsAt[0];
                if (z < 0.02 || z > 0.8)
                    continue;
                squares += std::pow(double(linearOfCode(codes.row(1, y)[x])) - z, 2) / z;
                said += frame->assumedNoise.variance(z) / z;
                count += 1.0;
            }
        QVERIFY(count > 5000);
        qInfo("quality %d: deviation %.2f of what is assumed", world.quality, std::sqrt(squares / said));
        QVERIFY(squares < 2.0 * said && squares > 0.3 * said); // neither blind nor afraid
    }
    /// Near and far things lie up to 32 pixels apart, so that no transform fits most of them finely.
    void framesOfManyDepthsAreAligned()
    {
        const World world = worldOf(145);
        ThreadRunner runner;
        ExecContext shooting(runner), looking(runner);
        const ShotWorld shot = shoot(world, dir_.filePath("depths").toStdString(), shooting);
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 30)};
        for (const std::string &path : shot.paths)
            sources.frames.push_back(loadFrame(path));
        const Measured measured = analyse(sources, {}, looking);
        const size_t reference = bracketOf(sources, measured, {}).reference;
        const Point middle{600, 400};
        for (size_t i = 0; i < measured.alignment.size(); ++i) {
            const FrameAlignment &a = measured.alignment[i];
            QVERIFY2(a.found, qPrintable(QString::number(i)));
            const Pose &from = world.frames[reference].pose, &to = world.frames[i].pose;
            const Point at = a.toReference.transform(middle);
            const double right = at.x - middle.x - (to.x - from.x), down = at.y - middle.y - (to.y - from.y);
            const double depths = std::hypot(to.aside - from.aside, to.above - from.above); // of what is nearest
            QVERIFY2(std::hypot(right, down) <= depths + 1.0, qPrintable(QString::number(i)));
        }
    }
    void dozenWorldsHold_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed : {200, 201, 202, 203, 204, 205, 206, 207, 208, 209, 210, 211})
            QTest::addRow("%d", seed) << seed;
    }
    void dozenWorldsHold()
    {
        QFETCH(int, seed);
        const World world = worldOf(uint64_t(seed), 720, 480);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Verdict v = judge(world, dir_.filePath("judged").toStdString(), ctx);
        qInfo("%s: exposures %.3f EV, loss %.2f dB, lights %.4f", world.words().c_str(), v.exposureError, v.loss,
              v.lights);
        if (!world.isCurved())
            QVERIFY(!v.curveTaken);
        else
            QVERIFY(*v.curveError <= *v.profileError + 1e-3);
        QCOMPARE(v.leftOut, 0);
        if (!world.isCurved() && world.marks != Marks::Absent && world.flicker == 0.0)
            QVERIFY2(v.exposureError <= 0.03, qPrintable(QString::number(v.exposureError))); // a third of the pixels
    }
};

QTEST_GUILESS_MAIN(TestWorlds)
#include "tst_worlds.moc"
