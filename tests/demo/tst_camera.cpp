// The simulated camera against its own model and against other readers: LibRaw's sensor values, exiv2's metadata.
#include "base/errors.h"
#include "colour/transfer.h"
#include "io/radiance_file.h"
#include "support/synthetic.h"
#include "truth.h"

#include <exiv2/exiv2.hpp>
#include <libraw/libraw.h>
#include <opencv2/imgcodecs.hpp>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

struct Statistics {
    double mean = 0.0, variance = 0.0;
};
template <class Value> Statistics statisticsOf(int width, int height, Value &&value)
{
    double sum = 0.0, squares = 0.0;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double v = value(x, y);
            sum += v;
            squares += v * v;
        }
    const double n = double(width) * height, mean = sum / n;
    return {mean, squares / n - mean * mean};
}

} // namespace

class TestCamera : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

private Q_SLOTS:
    void photonTransferOfDevelopedFrames()
    {
        // Variance against mean on flat patches, within 5 %; of 1e5 samples it is known to 0.5 %.
        const Image<float> scene = test::flat(400, 250, 0.5f, 0.1f, 0.02f);
        demo::Shot shot;
        shot.iso = 400;
        const Image<float> frame = demo::expose(scene.view(), shot);
        const double well = demo::kFullWell / 4.0;
        for (int c = 0; c < 3; ++c) {
            const Statistics s = statisticsOf(400, 250, [&](int x, int y) { return double(frame.row(c, y)[x]); });
            const double want = s.mean / well + std::pow(demo::kReadNoise / well, 2);
            QVERIFY2(std::abs(s.variance / want - 1.0) < 0.05, qPrintable(QString::number(s.variance / want)));
            QVERIFY(std::abs(s.mean / double(scene.row(c, 0)[0]) - 1.0) < 0.005);
        }
    }
    void photonTransferOfRawFrames_data()
    {
        QTest::addColumn<double>("light");
        QTest::addColumn<int>("iso");
        for (int iso : {100, 800})
            for (double light : {0.0, 0.002, 0.03, 0.4})
                QTest::addRow("%g at ISO %d", light, iso) << light << iso;
    }
    void photonTransferOfRawFrames()
    {
        // The same through the file, read by LibRaw alone: mean and variance of each cell of the filter array.
        QFETCH(double, light);
        QFETCH(int, iso);
        demo::Shot shot;
        shot.iso = iso;
        const float l = float(light);
        const std::string path = dir_.filePath("flat.dng").toStdString();
        demo::writeDng(path, demo::exposeMosaic(test::flat(800, 500, l, l, l).view(), shot).view(), shot);
        const auto raw = std::make_unique<LibRaw>();
        QCOMPARE(raw->open_file(path.c_str()), int(LIBRAW_SUCCESS));
        QCOMPARE(raw->unpack(), int(LIBRAW_SUCCESS));
        QCOMPARE(int(raw->imgdata.sizes.raw_width), 800);
        const double range = demo::kWhite - demo::kBlack, well = demo::kFullWell / (iso / 100.0);
        for (int cell = 0; cell < 4; ++cell) {
            const int c = raw->COLOR(cell / 2, cell % 2);
            const double signal = light * demo::kNeutral[size_t(c == 3 ? 1 : c)];
            const Statistics s = statisticsOf(400, 250, [&](int x, int y) {
                return double(raw->imgdata.rawdata.raw_image[(2 * y + cell / 2) * 800 + 2 * x + cell % 2]);
            });
            const double perElectron = range / well;
            const double want =
                perElectron * perElectron * (signal * well + demo::kReadNoise * demo::kReadNoise) + 1.0 / 12;
            QVERIFY2(std::abs(s.variance / want - 1.0) < 0.05, qPrintable(QString::number(s.variance / want)));
            QVERIFY2(std::abs(s.mean - demo::kBlack - signal * range) < 5.0 * std::sqrt(want / 1e5) + 0.01,
                     qPrintable(QString::number(s.mean)));
        }
    }
    void aSensorClipsAtWhite()
    {
        const demo::Shot shot{.clipsAt = 0.5};
        const Image<uint16_t> frame = demo::exposeMosaic(test::flat(64, 64, 3, 3, 3).view(), shot);
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x)
                QCOMPARE(int(frame.row(0, y)[x]), demo::kWhite);
    }
    void sameSeedSameFrame()
    {
        const Image<float> scene = test::rampScene(90, 60, 0.01, 6);
        const auto bytes = [&](uint64_t seed) {
            const std::string path = dir_.filePath("seed.dng").toStdString();
            const demo::Shot shot{.seed = seed};
            demo::writeDng(path, demo::exposeMosaic(scene.view(), shot).view(), shot);
            return test::bytesOf(QString::fromStdString(path));
        };
        QCOMPARE(bytes(3), bytes(3));
        QVERIFY(bytes(3) != bytes(4));
    }
    void shoulderIsACurve()
    {
        for (double s : {0.0, 0.25, 4.0}) {
            QCOMPARE(demo::cameraShoulder(0.0, s), 0.0);
            QCOMPARE(demo::cameraShoulder(1.0, s), 1.0);
            for (double z = 0.0; z < 1.0; z += 0.01)
                QVERIFY(demo::cameraShoulder(z + 0.01, s) > demo::cameraShoulder(z, s));
        }
        QCOMPARE(demo::cameraShoulder(0.3, 0.0), 0.3);
        // And it is what the file holds: a flat patch without noise to speak of.
        demo::Shot shot;
        const std::string path = dir_.filePath("curve.tif").toStdString();
        demo::writeFrame(path, test::flat(8, 8, 0.2f, 0.2f, 0.2f).view(), shot, demo::FrameFile::Tiff, 0.25);
        const double want = encodeSrgb(0.2 * 1.25 / 1.05) * 65535.0;
        QVERIFY(std::abs(cv::imread(path, cv::IMREAD_UNCHANGED).at<cv::Vec3w>(3, 3)[1] - want) <= 1.0);
    }
    void idealLensChangesNothing()
    {
        const Image<float> scene = test::rampScene(50, 40, 0.01, 6);
        const Image<float> seen = demo::throughLens(scene.view(), {});
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 40; ++y)
                QVERIFY(std::equal(scene.row(c, y), scene.row(c, y) + 50, seen.row(c, y)));
    }
    void lensFaultsAreAsAsked()
    {
        // A bright dot near the corner of a dark picture: where it comes to lie in each channel tells the geometry.
        const int width = 600, height = 400;
        Image<float> scene(width, height, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    scene.row(c, y)[x] = float(
                        std::exp(-0.5 * (std::pow((x + 0.5 - 540.0) / 3, 2) + std::pow((y + 0.5 - 350.0) / 3, 2))));
        const demo::Lens lens{.barrel = 0.02, .redFringe = 0.004, .blueFringe = -0.003, .vignetting = 1.0};
        const Image<float> seen = demo::throughLens(scene.view(), lens);
        double green = 0.0;
        for (int c : {1, 0, 2}) {
            double sum = 0.0, sx = 0.0;
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x) {
                    sum += double(seen.row(c, y)[x]);
                    sx += double(seen.row(c, y)[x]) * (x + 0.5 - width / 2.0);
                }
            const double at = sx / sum, larger = 1.0 + (c == 0 ? lens.redFringe : c == 2 ? lens.blueFringe : 0.0);
            if (c == 1) {
                // The dot was at (240, 150) from the middle; it lies where r (1 + barrel (r^2 - 1)) comes to that.
                const double corner = std::hypot(width / 2.0, height / 2.0),
                             r = at / 240.0 * std::hypot(240, 150) / corner;
                const double from = at * (1.0 + lens.barrel * (r * r - 1.0));
                QVERIFY2(std::abs(from - 240.0) < 0.1, qPrintable(QString::number(from)));
                QVERIFY(at > 240.0); // barrel: the middle is larger
                green = at;
            } else {
                QVERIFY2(std::abs(at / green - larger) < 2e-4, qPrintable(QString::number(at / green)));
            }
        }
        // A white wall: corners lose what was asked.
        const Image<float> wall = demo::throughLens(test::flat(width, height, 1, 1, 1).view(), {.vignetting = 1.0});
        QVERIFY(std::abs(double(wall.row(1, 0)[0]) - 0.5) < 0.005);
        QVERIFY(std::abs(double(wall.row(1, 200)[300]) - 1.0) < 1e-4);
        // Dust darkens some pixels, the same ones for the same seed.
        const auto dark = [&](uint64_t seed) {
            const Image<float> dusty =
                demo::throughLens(test::flat(width, height, 1, 1, 1).view(), {.dustSpots = 4, .dustSeed = seed});
            std::vector<int> where;
            for (int i = 0; i < width * height; ++i)
                if (dusty.row(1, i / width)[i % width] < 0.99f)
                    where.push_back(i);
            return where;
        };
        QVERIFY(dark(5).size() > 20 && dark(5).size() < 3000);
        QVERIFY(dark(5) == dark(5) && dark(5) != dark(6));
        // Blur spreads a point by its standard deviation and keeps its light.
        Image<float> point(41, 41, 3);
        point.row(1, 20)[20] = 1.0f;
        const Image<float> blurred = demo::throughLens(point.view(), {.softness = 1.5});
        double light = 0.0, spread = 0.0;
        for (int y = 0; y < 41; ++y)
            for (int x = 0; x < 41; ++x) {
                light += double(blurred.row(1, y)[x]);
                spread += double(blurred.row(1, y)[x]) * (x - 20) * (x - 20);
            }
        QVERIFY(std::abs(light - 1.0) < 1e-5 && std::abs(std::sqrt(spread) - 1.5) < 0.02); // cut at 3 deviations
        QVERIFY_THROWS_EXCEPTION(ArgumentError, demo::throughLens(point.view(), {.barrel = -1.0}));
    }
    void programSaysWhatIsWrong_data()
    {
        QTest::addColumn<QStringList>("arguments");
        QTest::addColumn<QString>("reason");
        const QString scene = dir_.filePath("scene.exr"), out = dir_.filePath("out.dng");
        writeExr(scene.toStdString(), test::rampScene(60, 40, 0.01, 6).view(), {});
        QTest::newRow("no scene") << QStringList{dir_.filePath("gone.exr"), "-o", out} << "gone.exr";
        QTest::newRow("suffix") << QStringList{scene, "-o", dir_.filePath("out.gif")} << "must end in";
        QTest::newRow("box") << QStringList{scene, "-o", out, "--cut", "50", "0", "20", "20"} << "does not lie within";
        QTest::newRow("part") << QStringList{scene, "-o", out, "--put", scene} << "FILE@X,Y";
        QTest::newRow("lens") << QStringList{scene, "-o", out, "--barrel", "7"} << "out of range";
        QTest::newRow("exposure") << QStringList{scene, "-o", out, "--clips-at", "0"} << "clips-at";
        QTest::newRow("folder") << QStringList{scene, "-o", dir_.filePath("gone/out.dng")} << "out.dng";
    }
    void programSaysWhatIsWrong()
    {
        QFETCH(QStringList, arguments);
        QFETCH(QString, reason);
        QProcess camera;
        camera.start(QStringLiteral(YOLK_CAMERA), arguments);
        QVERIFY(camera.waitForFinished(30000));
        QVERIFY(camera.exitCode() != 0);
        const QByteArray error = camera.readAllStandardError();
        QVERIFY2(error.contains(reason.toUtf8()), error);
        QVERIFY(!QFile::exists(dir_.filePath("out.dng")) && !QFile::exists(dir_.filePath("out.gif")));
    }
    void partsComeBack()
    {
        const Image<float> scene = test::rampScene(60, 40, 0.01, 6);
        const demo::Box box{10, 5, 20, 15};
        Image<float> part = demo::cutOut(scene.view(), box), copy(60, 40, 3);
        demo::putOver(copy.view(), scene.view(), 0, 0);
        part.row(0, 4)[3] *= 1.01f;
        demo::putOver(copy.view(), part.view(), box.x, box.y);
        const Image<uint8_t> mask = demo::maskOf(copy.view(), scene.view());
        int marked = 0;
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 60; ++x)
                marked += mask.row(0, y)[x] == 255;
        QCOMPARE(marked, 9); // it and its neighbours
        QCOMPARE(int(mask.row(0, 9)[13]), 255);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, demo::cutOut(scene.view(), {50, 5, 20, 15}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, demo::putOver(copy.view(), part.view(), 50, 5));
    }
};

QTEST_GUILESS_MAIN(TestCamera)
#include "tst_camera.moc"
