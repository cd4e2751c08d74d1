// Where sensors clip, and pixels that show the same whatever the scene, against a simulated sensor that lies about both.
#include "base/errors.h"
#include "colour/transfer.h"
#include "frames/defects.h"
#include "frames/measure.h"
#include "render/render.h"
#include "support/demo_data.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

class TestWhiteLevel : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

    /// A bright ramp that clips in part, shot at the EVs given.
    std::vector<FramePtr> shoot(const char *name, const std::vector<double> &evs, const demo::Sensor &sensor)
    {
        return shoot(name, evs, sensor, test::rampScene(480, 320, 0.01, 8.0));
    }
    std::vector<FramePtr> shoot(const char *name, const std::vector<double> &evs, const demo::Sensor &sensor,
                                const Image<float> &scene)
    {
        std::vector<FramePtr> out;
        for (size_t i = 0; i < evs.size(); ++i) {
            const demo::Shot shot = test::shotAt(evs[i], 1.0, 70 + i);
            const std::string path = dir_.filePath(QString("%1_%2.dng").arg(name).arg(i)).toStdString();
            demo::writeDng(path, demo::exposeMosaic(scene.view(), shot, sensor).view(), shot);
            out.push_back(loadFrame(path));
        }
        return out;
    }
    MeasuredSet measured(const std::vector<FramePtr> &frames)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return measureFrames(frames, {.decode = test::decodeAtOnce, .sensor = test::lookAtOnce}, ctx);
    }

private Q_SLOTS:
    void lowPlateausAreFound_data()
    {
        QTest::addColumn<double>("least");
        QTest::addColumn<double>("soft");
        for (double share : {0.99, 0.95, 0.91}) {
            QTest::addRow("hard end at %.2f", share) << share << 0.0;
            QTest::addRow("soft end at %.2f", share) << share << 0.02;
        }
    }
    void lowPlateausAreFound()
    {
        // Linear up to the soft end, and never taken to be higher: clipped light would not be known as such.
        QFETCH(double, least);
        QFETCH(double, soft);
        demo::Sensor sensor;
        sensor.plateau = {least + 0.005, least, least + 0.009};
        sensor.softEnd = soft;
        const MeasuredSet set = measured(shoot("low", {0, 2, 4}, sensor));
        for (const MeasuredFrame &f : set.frames) {
            qInfo("%.4f of the stated range, the sensor %.4f", f.whiteShare, least * (1.0 - soft));
            QVERIFY2(f.whiteShare <= least + 1e-4, qPrintable(QString::number(f.whiteShare)));
            QVERIFY2(f.whiteShare >= least * (1.0 - 0.035), qPrintable(QString::number(f.whiteShare)));
        }
    }
    void wallsJustBelowAHardEndAreNoSoftOne()
    {
        // Lamps that clip, a white wall within three per cent below, and the dark rest of a room.
        Image<float> scene = test::rampScene(480, 320, 0.01, 0.5);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 160; ++y)
                for (int x = 0; x < 240; ++x)
                    scene.row(c, y)[x] = y < 80 ? 3.0f : float(0.95 + 0.02 * x / 240.0);
        demo::Sensor sensor;
        sensor.plateau = {0.98, 0.98, 0.98};
        for (const MeasuredFrame &f : measured(shoot("by_wall", {0, -4}, sensor, scene)).frames)
            QVERIFY2(std::abs(f.whiteShare - 0.98) < 1e-3, qPrintable(QString::number(f.whiteShare)));
    }
    void exactLevelsStay()
    {
        for (const MeasuredFrame &f : measured(shoot("exact", {0, 2, 4}, {})).frames)
            QCOMPARE(f.whiteShare, 1.0);
    }
    void framesWithoutClippingTakeItFromTheOthers()
    {
        demo::Sensor sensor;
        sensor.plateau = {0.94, 0.94, 0.94};
        const MeasuredSet set = measured(shoot("dark", {-8, 0, 2}, sensor));
        QVERIFY(set.frames[0].clippedShare == 0.0);
        QCOMPARE(set.frames[0].whiteShare, set.frames[2].whiteShare);
        QVERIFY(set.frames[0].whiteShare < 0.945);
    }
    void evenWallsAreNoPlateau()
    {
        // Nine tenths of white, in one frame as in two of the same exposure: noise makes it wider than clipping is.
        for (int count : {1, 2}) {
            std::vector<FramePtr> frames;
            for (int i = 0; i < count; ++i) {
                const demo::Shot shot = test::shotAt(0, 1.0, 90 + uint64_t(i));
                const std::string path = dir_.filePath(QString("wall_%1_%2.dng").arg(count).arg(i)).toStdString();
                demo::writeDng(path, demo::exposeMosaic(test::flat(300, 200, 0.9f, 0.9f, 0.9f).view(), shot).view(),
                               shot);
                frames.push_back(loadFrame(path));
            }
            for (const MeasuredFrame &f : measured(frames).frames)
                QCOMPARE(f.whiteShare, 1.0);
        }
    }
    void demoFramesWithAnotherWhiteLevelMergeAlike()
    {
        // The level is stated 6 % too high, as cameras do; nothing else is changed.
        std::vector<FramePtr> right, wrong;
        for (const QString &p : test::demoPaths("henhouse-handheld")) {
            right.push_back(loadFrame(p.toStdString()));
            QByteArray bytes = test::bytesOf(p);
            // WhiteLevel, tag 50717, type 4, one value: 16383 becomes 17400.
            const char tag[] = "\x1d\xc6\x04\x00\x01\x00\x00\x00\xff\x3f\x00\x00";
            const char lie[] = "\x1d\xc6\x04\x00\x01\x00\x00\x00\xf8\x43\x00\x00";
            QVERIFY(bytes.contains(QByteArray(tag, 12)));
            bytes.replace(QByteArray(tag, 12), QByteArray(lie, 12)); // the directory stands twice, one is read
            const QString path = dir_.filePath(QFileInfo(p).fileName());
            test::writeBytes(path, bytes);
            wrong.push_back(loadFrame(path.toStdString()));
        }
        ThreadRunner runner;
        const auto merged = [&](const std::vector<FramePtr> &frames, Measured &measured) {
            ExecContext ctx(runner), second(runner);
            const Sources sources{frames, std::make_shared<StageCache>(size_t(1) << 30)};
            measured = analyse(sources, {}, ctx);
            Recipe asShot; // decisions about single edges flip by less than a white level changes
            asShot.align.mode = AlignMode::Off;
            asShot.movement.mode = MovementMode::Off;
            return mergedOf(RenderPlan(sources, measured, asShot), 2, second);
        };
        Measured a, b;
        const MergedPtr want = merged(right, a), got = merged(wrong, b);
        for (size_t i = 0; i < b.frames.size(); ++i) {
            QVERIFY2(std::abs(b.frames[i].whiteShare - (16383.0 - 512.0) / (17400.0 - 512.0)) < 2e-4,
                     qPrintable(QString::number(b.frames[i].whiteShare)));
            QVERIFY(std::abs(b.frames[i].clippedShare - a.frames[i].clippedShare) < 1e-3);
        }
        QVERIFY(std::abs(want->clippedShare - got->clippedShare) < 1e-3);
        // The brightest tenth within a tenth of a stop, on 99 % of it.
        const Image<float> &x = want->pixels.radiance, &y = got->pixels.radiance;
        std::vector<float> greens(x.row(1, 0), x.row(1, 0) + x.width());
        greens.clear();
        for (int v = 0; v < x.height(); ++v)
            greens.insert(greens.end(), x.row(1, v), x.row(1, v) + x.width());
        const auto tenth = greens.begin() + ptrdiff_t(greens.size() * 9 / 10);
        std::ranges::nth_element(greens, tenth);
        double count = 0.0, near = 0.0;
        for (int v = 0; v < x.height(); ++v)
            for (int u = 0; u < x.width(); ++u)
                if (x.row(1, v)[u] >= *tenth) {
                    count += 1.0;
                    bool all = true;
                    for (int c = 0; c < 3; ++c)
                        all = all && std::abs(std::log2(y.row(c, v)[u] / x.row(c, v)[u])) <= 0.1f;
                    near += all;
                }
        qInfo("%.4f of the brightest tenth within a tenth of a stop", near / count);
        QVERIFY2(near >= 0.99 * count, qPrintable(QString::number(near / count)));
    }
    void levelsOfOtherFilesAreNotMixed()
    {
        SensorCounts a, b;
        b.white = 4095.0;
        const std::array both{static_cast<const SensorCounts *>(&a), static_cast<const SensorCounts *>(&b)};
        QVERIFY_THROWS_EXCEPTION(ArgumentError, whiteLevelOf(both));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, whiteLevelOf({}));
        QVERIFY(!whiteLevelOf(std::span(both).first(1))); // nothing was counted
        a.saturation = {60000.0, 65535.0, 65535.0};
        QVERIFY(std::abs(statedWhiteLevel(a).share - 60000.0 / 65535.0) < 1e-9);
    }

    void valuesThatStandStillAreClipped()
    {
        // Files whose values end at nine tenths of their codes: only a darker frame tells that there is more light.
        const Image<float> scene = test::rampScene(480, 320, 0.01, 8.0);
        std::vector<FramePtr> frames;
        for (double ev : {0.0, 2.0, 4.0}) {
            const demo::Shot shot = test::shotAt(ev, 1.0, uint64_t(500 + ev));
            const std::string path = dir_.filePath(QString("still_%1.tif").arg(ev)).toStdString();
            demo::writeFrame(path, demo::expose(scene.view(), shot).view(), shot, demo::FrameFile::Tiff,
                             demo::Development{.code = [](double z, int) { return std::min(encodeSrgb(z), 0.9); }});
            frames.push_back(loadFrame(path));
        }
        const MeasuredSet set = measured(frames);
        const double end = decodeSrgb(0.9);
        for (size_t i : {1u, 2u})
            QVERIFY2(set.frames[i].whiteShare <= end && set.frames[i].whiteShare >= 0.97 * end,
                     qPrintable(QString::number(set.frames[i].whiteShare)));
        QVERIFY(std::abs(std::log2(set.frames[2].exposure / set.frames[1].exposure) - 2.0) < 0.02);
    }

    // ---- hot and dead pixels
    void hotPixelsAreFoundAndReplaced()
    {
        demo::Sensor sensor;
        sensor.hotPixels = 60;
        const auto frames = shoot("hot", {-3, -5, -1}, sensor);
        const MeasuredSet set = measured(frames);
        qInfo("%zu of %d found", set.defects.size(), sensor.hotPixels);
        QVERIFY(set.defects.size() >= 50); // some lie at the very edge, or where the scene clips
        QVERIFY(set.defects.size() <= size_t(sensor.hotPixels));
        QVERIFY(measured(shoot("sound", {-3, -5, -1}, {})).defects.empty());
        QVERIFY(measured({frames[0]}).defects.empty()); // one frame tells nothing
    }
    void pointsOfLightAreNoDefects()
    {
        // Stars on a tripod lie at the same place in every frame; the filter before the sensor spreads them.
        Image<float> night = test::flat(300, 200, 0.01f, 0.01f, 0.01f);
        for (int i = 0; i < 60; ++i)
            for (int c = 0; c < 3; ++c)
                night.row(c, 10 + 17 * (i % 10))[12 + 40 * (i / 10) + 3 * (i % 4)] = 3.0f;
        const Image<float> seen = demo::throughLens(night.view(), {.antiAlias = 0.5});
        std::vector<FramePtr> frames;
        for (double ev : {0.0, 1.0}) {
            const demo::Shot shot = test::shotAt(ev, 1.0, uint64_t(300 + ev));
            const std::string path = dir_.filePath(QString("stars_%1.dng").arg(ev)).toStdString();
            demo::writeDng(path, demo::exposeMosaic(seen.view(), shot).view(), shot);
            frames.push_back(loadFrame(path));
        }
        const MeasuredSet set = measured(frames);
        QVERIFY2(set.defects.empty(), qPrintable(QString::number(set.defects.size())));
    }
    void replacedByTheMedianOfTheirColour()
    {
        Image<uint16_t> values(11, 11, 1);
        for (int y = 0; y < 11; ++y)
            for (int x = 0; x < 11; ++x)
                values.row(0, y)[x] = uint16_t(100 + (x % 2) * 1000 + y);
        values.row(0, 5)[5] = 9000;
        values.row(0, 5)[7] = 9000; // beside it, of its colour: it does not count
        const Mosaic mosaic{values.view(), {0, 0}, {1, 1}, 16383};
        replaceDefects(mosaic, std::array{SensorPlace{5, 5}, SensorPlace{7, 5}});
        QCOMPARE(values.row(0, 5)[5], uint16_t(1105)); // by hand: 1103 x 3, 1105, 1107 x 3: the middle
        QCOMPARE(values.row(0, 5)[6], uint16_t(105));
    }
};

QTEST_GUILESS_MAIN(TestWhiteLevel)
#include "tst_white_level.moc"
