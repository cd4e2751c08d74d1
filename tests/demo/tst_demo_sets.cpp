// The committed demo sets: what other readers find in them, and that they are what the scene's truth gives.
#include "frames/bracket.h"
#include "frames/exposure.h"
#include "io/radiance_file.h"
#include "render/render.h"
#include "support/compare.h"
#include "support/demo_data.h"
#include "support/faults.h"
#include "support/synthetic.h"
#include "truth.h"

#include <exiv2/exiv2.hpp>
#include <libraw/libraw.h>
#include <opencv2/imgcodecs.hpp>
#include <QDir>
#include <QFileInfo>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QProcessEnvironment>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

/// Pixels that at least one frame holds: no channel clipped, all with a signal-to-noise ratio over 10 by sensor and
/// rounding, whatever a JPEG's coding adds.
Image<uint8_t> heldPixels(const Image<float> &truth, const std::vector<FramePtr> &frames,
                          const std::vector<double> &clipsAt)
{
    Image<uint8_t> out(truth.width(), truth.height(), 1);
    for (int y = 0; y < truth.height(); ++y)
        for (int x = 0; x < truth.width(); ++x)
            for (size_t f = 0; f < frames.size(); ++f) {
                const Frame &frame = *frames[f];
                const NoiseModel noise = frame.isRaw() ? frame.assumedNoise : defaultNoise(frame.bits, 100);
                bool held = true;
                for (int c = 0; c < 3; ++c) {
                    const double z = double(truth.row(c, y)[x]) / clipsAt[f];
                    held = held && z < 0.95 && z / std::sqrt(noise.variance(z)) > 10.0;
                }
                out.row(0, y)[x] |= held;
            }
    return out;
}

double shareOf(const Image<uint8_t> &mask)
{
    long long count = 0;
    for (int y = 0; y < mask.height(); ++y)
        for (int x = 0; x < mask.width(); ++x)
            count += mask.row(0, y)[x] != 0;
    return double(count) / double(mask.shape().pixels());
}

struct Ran {
    int exit = -1;
    QByteArray out, error;
};
Ran run(const QString &program, const QStringList &arguments, const QMap<QString, QString> &variables = {})
{
    QProcess process;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    for (auto v = variables.begin(); v != variables.end(); ++v)
        environment.insert(v.key(), v.value());
    process.setProcessEnvironment(environment);
    process.start(program, arguments);
    if (!process.waitForFinished(120000))
        return {};
    return {process.exitCode(), process.readAllStandardOutput(), process.readAllStandardError()};
}

} // namespace

class TestDemoSets : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

    static void addFrames()
    {
        QTest::addColumn<QString>("set");
        QTest::addColumn<int>("index");
        for (const char *set : {"henhouse-handheld", "henhouse-tripod", "henhouse-single"})
            for (int i = 0; i < int(test::demoFrames(set).size()); ++i)
                QTest::addRow("%s %d", set, i + 1) << QString(set) << i;
    }

private Q_SLOTS:
    void rawFramesAreReadByLibRaw_data() { addFrames(); }
    void rawFramesAreReadByLibRaw()
    {
        QFETCH(QString, set);
        QFETCH(int, index);
        const test::DemoFrame frame = test::demoFrames(set)[size_t(index)];
        if (!frame.path.endsWith(".dng"))
            return;
        const auto raw = std::make_unique<LibRaw>();
        QCOMPARE(raw->open_file(frame.path.toLocal8Bit().constData()), int(LIBRAW_SUCCESS));
        QCOMPARE(raw->unpack(), int(LIBRAW_SUCCESS));
        const libraw_data_t &data = raw->imgdata;
        QCOMPARE(int(data.sizes.width), 1620);
        QCOMPARE(int(data.sizes.height), 1080);
        QCOMPARE(int(data.color.maximum), demo::kWhite);
        for (int cell = 0; cell < 4; ++cell)
            QCOMPARE(int(data.color.black + data.color.cblack[cell] + data.color.cblack[6 + cell]), demo::kBlack);
        for (int c = 0; c < 3; ++c) // as-shot multipliers over green's
            QVERIFY(std::abs(double(data.color.cam_mul[c] / data.color.cam_mul[1]) - 1.0 / demo::kNeutral[size_t(c)]) <
                    1e-3);
        // LibRaw's matrix takes white-balanced camera RGB to sRGB: with the camera's own it must give the identity.
        for (int row = 0; row < 3; ++row)
            for (int column = 0; column < 3; ++column) {
                double sum = 0.0;
                for (int k = 0; k < 3; ++k)
                    sum += double(data.color.rgb_cam[row][k]) * demo::kCameraOfRec709(k, column);
                QVERIFY2(std::abs(sum - (row == column)) < 2e-3, qPrintable(QString::number(sum)));
            }
    }
    void exposuresAreReadByExiv2_data() { addFrames(); }
    void exposuresAreReadByExiv2()
    {
        QFETCH(QString, set);
        QFETCH(int, index);
        const test::DemoFrame frame = test::demoFrames(set)[size_t(index)];
        const auto image = Exiv2::ImageFactory::open(frame.path.toStdString());
        image->readMetadata();
        const Exiv2::ExifData &exif = image->exifData();
        const auto value = [&](const char *key) {
            const auto found = exif.findKey(Exiv2::ExifKey(key));
            return found == exif.end() ? 0.0 : double(found->toFloat());
        };
        QVERIFY(std::abs(value("Exif.Photo.ExposureTime") / frame.number("--seconds") - 1.0) < 1e-5);
        QCOMPARE(value("Exif.Photo.FNumber"), frame.number("--f-number"));
        QCOMPARE(value("Exif.Photo.ISOSpeedRatings"), frame.number("--iso"));
        const qsizetype date = frame.options.indexOf("--date");
        QCOMPARE(QString::fromStdString(exif.findKey(Exiv2::ExifKey("Exif.Photo.DateTimeOriginal"))->toString()),
                 QString(frame.options[date + 1]).replace('T', ' '));
    }
    void markedExposuresAreTheRealOnes()
    {
        // Exposure times are marked values; the light that clips follows the exact steps.
        for (const char *set : {"henhouse-handheld", "henhouse-tripod"}) {
            std::vector<Metadata> metadata;
            std::vector<double> clips;
            for (const test::DemoFrame &f : test::demoFrames(set)) {
                metadata.push_back(readMetadata(f.path.toStdString()));
                clips.push_back(f.number("--clips-at"));
            }
            const auto stated = statedExposures(metadata);
            for (size_t i = 0; i < stated.size(); ++i)
                QVERIFY(std::abs(std::log2(*stated[i] * clips[i] / (*stated[0] * clips[0]))) < 1e-6);
        }
    }
    void framesAreRemadeBitForBit_data() { addFrames(); }
    void framesAreRemadeBitForBit()
    {
        QFETCH(QString, set);
        QFETCH(int, index);
        const test::DemoFrame frame = test::demoFrames(set)[size_t(index)];
        const QString again = dir_.filePath("again." + frame.path.section('.', -1));
        const Ran made = run(QStringLiteral(YOLK_CAMERA), QStringList{frame.scene, "-o", again} + frame.options);
        QVERIFY2(made.exit == 0, made.error);
        QVERIFY(test::bytesOf(again) == test::bytesOf(frame.path));
    }
    void setCanBeMadeWithoutMotion()
    {
        const QString out = dir_.filePath("still");
        const Ran made = run(QStringLiteral(YOLK_SOURCE_DIR "/demo/make"), {"--still", out},
                             {{"YOLK_CAMERA", QStringLiteral(YOLK_CAMERA)}});
        QVERIFY2(made.exit == 0, made.error);
        const std::vector<test::DemoFrame> frames = test::demoFrames("henhouse-handheld");
        QCOMPARE(QDir(out + "/henhouse-handheld").entryList(QDir::Files).size(), qsizetype(frames.size()));
        QVERIFY(!QDir(out + "/henhouse-tripod").exists());
        for (const test::DemoFrame &frame : frames) {
            const QByteArray still = test::bytesOf(out + "/henhouse-handheld/" + QFileInfo(frame.path).fileName());
            // The first frame shows the same scene in both.
            QCOMPARE(still == test::bytesOf(frame.path), frame.scene == frames[0].scene);
        }
    }
    void tripodMergeIsWithinATenthOfAStop()
    {
        qputenv("OPENCV_IO_ENABLE_OPENEXR", "1");
        const std::vector<test::DemoFrame> set = test::demoFrames("henhouse-tripod");
        const QString out = dir_.filePath("merged.exr");
        const Ran merged = run(QStringLiteral(YOLK_CLI), QStringList{"merge"} + test::demoPaths("henhouse-tripod") +
                                                             QStringList{"-o", out, "--no-align"});
        QVERIFY2(merged.exit == 0, merged.error);
        const RadianceFile got = readExr(out.toStdString());
        const cv::Mat second = cv::imread(out.toStdString(), cv::IMREAD_UNCHANGED); // another reader, the same numbers
        QCOMPARE(second.type(), CV_32FC3);
        QCOMPARE(second.at<cv::Vec3f>(500, 700)[2], got.rgb.row(0, 500)[700]);

        const RadianceFile scene = readExr(set[0].scene.toStdString());
        const Image<float> truth = demo::throughLens(scene.rgb.view(), set[0].lens());
        std::vector<FramePtr> frames;
        std::vector<double> clipsAt;
        for (const test::DemoFrame &f : set) {
            frames.push_back(loadFrame(f.path.toStdString()));
            clipsAt.push_back(f.number("--clips-at"));
        }
        const Image<uint8_t> held = heldPixels(truth, frames, clipsAt);
        QVERIFY(shareOf(held) > 0.95);
        const double stops = test::rmsStops(got.rgb.view(), truth.view(), held.view());
        qInfo("RMS error %.4f stops over %.2f %% of the pixels", stops, 100.0 * shareOf(held));
        QVERIFY2(stops <= 0.1, qPrintable(QString::number(stops)));
    }
    void infoShowsTheRepeatedExposure()
    {
        const Ran info =
            run(QStringLiteral(YOLK_CLI), QStringList{"info", "--json"} + test::demoPaths("henhouse-tripod"));
        QCOMPARE(info.exit, 0);
        const Ran text = run(QStringLiteral(YOLK_CLI), QStringList{"info"} + test::demoPaths("henhouse-tripod"));
        QCOMPARE(text.out.count("repeats the exposure of frame 1"), 1);
        const QJsonArray frames = QJsonDocument::fromJson(info.out).object()["frames"].toArray();
        QCOMPARE(frames.size(), 7);
        for (int i = 0; i < 7; ++i) {
            const double want[] = {-4, -4, -2, 0, 2, 4, 6};
            QVERIFY(std::abs(frames[i].toObject()["ev"].toDouble() - want[i]) < 1e-6);
        }
    }
    void singleFrameBlowsNothingOut()
    {
        const test::DemoFrame single = test::demoFrames("henhouse-single")[0];
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<uint16_t> pixels = decodeFrame(*loadFrame(single.path.toStdString()), 1, ctx);
        long long clipped = 0;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < pixels.height(); ++y)
                for (int x = 0; x < pixels.width(); ++x)
                    clipped += linearOfCode(pixels.row(c, y)[x]) >= 0.999f;
        QCOMPARE(clipped, 0ll);
    }
    void sceneHoldsFifteenStops()
    {
        // Between the darkest thousandth of the picture and the sky round the sun (the brightest, without the disc).
        const RadianceFile scene = readExr(test::demoTruth("still").toStdString());
        std::vector<float> light;
        for (int y = 0; y < scene.rgb.height(); ++y)
            for (int x = 0; x < scene.rgb.width(); ++x)
                light.push_back(0.2126f * scene.rgb.row(0, y)[x] + 0.7152f * scene.rgb.row(1, y)[x] +
                                0.0722f * scene.rgb.row(2, y)[x]);
        std::ranges::sort(light);
        const double dark = double(light[light.size() / 1000]),
                     bright = double(light[light.size() - light.size() / 5000]);
        qInfo("%.1f stops from %g to %g", std::log2(bright / dark), dark, bright);
        QVERIFY(dark > 0.0 && std::log2(bright / dark) >= 15.0);
    }
    void partsFitTheScene()
    {
        // Each part in state 0 is the scene's own box; in the other states it differs where the mask says.
        const RadianceFile scene = readExr(test::demoTruth("still").toStdString());
        const std::vector<test::MovingThing> things = test::movingThings();
        QCOMPARE(things.size(), size_t(4));
        for (const test::MovingThing &thing : things) {
            const Image<float> own = demo::cutOut(scene.rgb.view(), thing.box);
            const Image<float> part = readExr(thing.scene(0).toStdString()).rgb,
                               none = readExr(thing.scene(-1).toStdString()).rgb;
            Image<uint8_t> all(part.width(), part.height(), 1);
            for (int y = 0; y < all.height(); ++y)
                std::fill_n(all.row(0, y), all.width(), uint8_t(1));
            const double stops = test::rmsStops(part.view(), own.view(), all.view());
            QVERIFY2(stops < 0.05,
                     qPrintable(thing.name + " " + QString::number(stops))); // two lossy codings, dark corners
            for (int state = 0; state < 5; ++state) {
                const cv::Mat mask = cv::imread(thing.mask(state).toStdString(), cv::IMREAD_UNCHANGED);
                QCOMPARE(mask.size(), cv::Size(thing.box.width, thing.box.height));
                const double share = cv::countNonZero(mask) / double(mask.total());
                QVERIFY2(share > 0.02 && share < 0.8, qPrintable(thing.name + QString::number(share)));
                const Image<float> with = readExr(thing.scene(state).toStdString()).rgb;
                Image<uint8_t> inside(all.shape()), outside(all.shape());
                for (int y = 0; y < all.height(); ++y)
                    for (int x = 0; x < all.width(); ++x) {
                        inside.row(0, y)[x] = mask.at<uint8_t>(y, x) != 0;
                        outside.row(0, y)[x] = mask.at<uint8_t>(y, x) == 0;
                    }
                const double there = test::rmsStops(with.view(), none.view(), inside.view());
                const double elsewhere = test::rmsStops(with.view(), none.view(), outside.view());
                qInfo("%s %d: %.3f stops where it is, %.3f elsewhere", qPrintable(thing.name), state, there, elsewhere);
                QVERIFY(there > 0.5 && elsewhere < 0.25 * there);
            }
        }
        for (size_t i = 0; i < things.size(); ++i) // so that any states can stand together
            for (size_t k = i + 1; k < things.size(); ++k) {
                const demo::Box &a = things[i].box, &b = things[k].box;
                QVERIFY(a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y);
            }
    }
    void faultsAreRefusedOrUsable()
    {
        QVERIFY(QDir().mkpath(dir_.filePath("faults")));
        SerialRunner serial;
        ExecContext ctx(serial);
        for (const test::Fault &fault : test::writeFaults(dir_.filePath("faults"))) {
            const std::string path = dir_.filePath("faults/" + fault.name).toStdString();
            QByteArray refusal;
            try {
                const FramePtr frame = loadFrame(path);
                if (frame->isRadiance())
                    decodeRadiance(*frame, 1, ctx);
                else
                    decodeFrame(*frame, 1, ctx);
            } catch (const InputError &e) {
                refusal = e.what();
            }
            QVERIFY2(refusal.isEmpty() == fault.refusal.isEmpty(), fault.name.toUtf8() + ": " + refusal);
            QVERIFY2(refusal.contains(fault.refusal.toUtf8()), fault.name.toUtf8() + ": " + refusal);
            QVERIFY(refusal.isEmpty() || refusal.contains(fault.name.toUtf8()));
            QVERIFY(!refusal.contains('\n'));
            // The program says the same in one line, exits with 3 and writes nothing.
            const QString out = dir_.filePath("never.exr");
            const Ran merged = run(QStringLiteral(YOLK_CLI), {"merge", dir_.filePath("faults/good_1.jpg"),
                                                              QString::fromStdString(path), "-o", out, "--no-align"});
            if (!fault.refusalInSet.isEmpty()) {
                QCOMPARE(merged.exit, 3);
                QVERIFY2(merged.error.contains(fault.refusalInSet.toUtf8()), merged.error);
                QVERIFY2(merged.error.contains(fault.name.toUtf8()) && merged.error.count('\n') == 1, merged.error);
                QVERIFY(!QFile::exists(out));
            } else {
                QVERIFY2(merged.exit == 0, fault.name.toUtf8() + ": " + merged.error);
                QFile::remove(out);
            }
        }
    }
};

QTEST_GUILESS_MAIN(TestDemoSets)
#include "tst_demo_sets.moc"
