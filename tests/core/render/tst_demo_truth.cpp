// The demo bracket against the scene that it was taken of.
#include "io/radiance_file.h"
#include "render/output.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

/// Pixels that at least one frame holds: no channel clipped, all with a signal-to-noise ratio over 10.
Image<uint8_t> heldPixels(const Image<float> &truth, const std::vector<FramePtr> &frames,
                          const std::vector<double> &clipsAt)
{
    Image<uint8_t> out(truth.width(), truth.height(), 1);
    for (int y = 0; y < truth.height(); ++y)
        for (int x = 0; x < truth.width(); ++x)
            for (size_t f = 0; f < frames.size(); ++f) {
                bool held = true;
                for (int c = 0; c < 3; ++c) {
                    const double z = double(truth.row(c, y)[x]) / clipsAt[f];
                    held = held && z < 0.95 && z / std::sqrt(frames[f]->noise.variance(z)) > 10.0;
                }
                out.row(0, y)[x] |= held;
            }
    return out;
}

} // namespace

class TestDemoTruth : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void mergeIsWithinATenthOfAStop()
    {
        qputenv("OPENCV_IO_ENABLE_OPENEXR", "1");
        const QTemporaryDir dir;
        const QString out = dir.filePath("merged.exr");
        QProcess cli;
        cli.start(QStringLiteral(YOLK_CLI), QStringList{"merge"} + test::demoBracket() + QStringList{"-o", out});
        QVERIFY(cli.waitForFinished(120000));
        QCOMPARE(cli.exitCode(), 0);

        const RadianceFile truth = readExr(test::demoTruth().toStdString()), merged = readExr(out.toStdString());
        const cv::Mat second = cv::imread(out.toStdString(), cv::IMREAD_UNCHANGED); // another reader, the same numbers
        QCOMPARE(second.type(), CV_32FC3);
        QCOMPARE(second.at<cv::Vec3f>(500, 700)[2], merged.rgb.row(0, 500)[700]);

        std::vector<FramePtr> frames;
        for (const QString &p : test::demoBracket())
            frames.push_back(loadFrame(p.toStdString()));
        const Image<uint8_t> held =
            heldPixels(truth.rgb, frames, {1.5, 24, 6, 0.375, 0.09375}); // as demo/make takes them
        long long count = 0;
        for (int y = 0; y < held.height(); ++y)
            for (int x = 0; x < held.width(); ++x)
                count += held.row(0, y)[x];
        QVERIFY(double(count) > 0.95 * double(held.shape().pixels()));
        const double stops = test::rmsStops(merged.rgb.view(), truth.rgb.view(), held.view());
        qInfo("RMS error %.4f stops over %.2f %% of the pixels", stops,
              100.0 * double(count) / double(held.shape().pixels()));
        QVERIFY2(stops <= 0.1, qPrintable(QString::number(stops)));
    }
    void framesAreRemadeBitForBit()
    {
        // One of the five; the others differ only in numbers.
        const RadianceFile truth = readExr(test::demoTruth().toStdString());
        demo::Shot shot;
        shot.clipsAt = 24;
        shot.exposureSeconds = 0.002;
        shot.seed = 2;
        shot.dateTime = "2026:05:01 05:48:02";
        const QTemporaryDir dir;
        const QString path = dir.filePath("again.jpg");
        demo::writeFrame(path.toStdString(), demo::expose(truth.rgb.view(), shot).view(), shot, demo::FrameFile::Jpeg);
        QVERIFY(test::bytesOf(path) == test::bytesOf(test::demoBracket()[1]));
    }
    void noiseOfFramesIsTheModels()
    {
        // Photon transfer on flat patches: variance against mean, within 5 %.
        const Image<float> scene = test::flat(400, 250, 0.5f, 0.1f, 0.02f);
        demo::Shot shot;
        shot.iso = 400;
        const Image<float> frame = demo::expose(scene.view(), shot);
        const double well = demo::kFullWell / 4.0;
        for (int c = 0; c < 3; ++c) {
            double sum = 0.0, squares = 0.0;
            for (int y = 0; y < 250; ++y)
                for (int x = 0; x < 400; ++x) {
                    sum += double(frame.row(c, y)[x]);
                    squares += double(frame.row(c, y)[x]) * double(frame.row(c, y)[x]);
                }
            const double n = 1e5, mean = sum / n, variance = squares / n - mean * mean;
            const double want = mean / well + std::pow(demo::kReadNoise / well, 2);
            QVERIFY2(std::abs(variance / want - 1.0) < 0.05, qPrintable(QString::number(variance / want)));
            QVERIFY(std::abs(mean / double(scene.row(c, 0)[0]) - 1.0) < 0.005);
        }
    }
};

QTEST_GUILESS_MAIN(TestDemoTruth)
#include "tst_demo_truth.moc"
