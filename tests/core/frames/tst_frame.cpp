#include "base/errors.h"
#include "frames/frame.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include "colour/transfer.h"
#include "io/tiff.h"

#include <exiv2/exiv2.hpp>
#include <opencv2/imgcodecs.hpp>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

Image<uint16_t> decoded(const Frame &frame, int reduction = 1)
{
    SerialRunner serial;
    ExecContext ctx(serial);
    return decodeFrame(frame, reduction, ctx);
}

} // namespace

class TestFrame : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::string path(const char *name) const { return dir_.filePath(QString::fromLatin1(name)).toStdString(); }

private Q_SLOTS:
    void blockMeansAreMeans()
    {
        Image<uint16_t> codes(11, 7, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 7; ++y)
                for (int x = 0; x < 11; ++x)
                    codes.row(c, y)[x] = uint16_t(1000 * c + 37 * y + 13 * x);
        const Image<uint16_t> means = blockMeans(codes.view(), 4);
        QCOMPARE(means.shape(), (Shape{3, 2, 3}));
        // Of a plane without curvature a mean is its value in the middle; the last block holds 3 x 3 pixels.
        QCOMPARE(int(means.row(2, 0)[1]), 2000 + 37 * 3 / 2 + 13 * 11 / 2 + 1); // 1.5 and 5.5, rounded
        QCOMPARE(int(means.row(1, 1)[2]), 1000 + 37 * 5 + 13 * 9);
        QVERIFY(std::equal(codes.row(0, 3), codes.row(0, 3) + 11, blockMeans(codes.view(), 1).row(0, 3)));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, blockMeans(codes.view(), 0));
    }
    void sixteenBitsComeBackLinear()
    {
        // Truth from the formula: code v of sRGB is decodeSrgb(v / 65535).
        writeTiff(path("ramp.tif"), 256, 4, {}, [](int, std::span<uint16_t> row) {
            for (size_t i = 0; i < row.size(); ++i)
                row[i] = uint16_t(i / 3 * 257);
        });
        const FramePtr frame = loadFrame(path("ramp.tif"));
        QVERIFY(frame->codeValues.assumed);
        QCOMPARE(frame->bits, 16);
        const Image<uint16_t> got = decoded(*frame);
        for (int x = 0; x < 256; ++x)
            // Half a step of the 16-bit codes, and the curve's table of 4096 chords.
            QVERIFY(std::abs(double(linearOfCode(got.row(1, 2)[x])) - decodeSrgb(x / 255.0)) <= 1.2e-5);
        QCOMPARE(got.row(0, 0)[0], uint16_t(kPedestal));
        QCOMPARE(got.row(0, 0)[255], uint16_t(65535));
    }
    void orientationsStandUpright_data()
    {
        QTest::addColumn<int>("tag");
        QTest::addColumn<QString>("upright"); // the stored picture is AB over CD, each letter a block
        QTest::newRow("1") << 1 << "AB/CD";
        QTest::newRow("2") << 2 << "BA/DC";
        QTest::newRow("3") << 3 << "DC/BA";
        QTest::newRow("4") << 4 << "CD/AB";
        QTest::newRow("5") << 5 << "AC/BD"; // Exif 2.32, table 6: row 0 is the left side, column 0 the top
        QTest::newRow("6") << 6 << "CA/DB";
        QTest::newRow("7") << 7 << "DB/CA";
        QTest::newRow("8") << 8 << "BD/AC";
    }
    void orientationsStandUpright()
    {
        QFETCH(int, tag);
        QFETCH(QString, upright);
        constexpr int kWidth = 24, kHeight = 16;
        cv::Mat stored(kHeight, kWidth, CV_8UC3);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                stored.at<cv::Vec3b>(y, x) =
                    cv::Vec3b::all(uchar(50 * (1 + (x >= kWidth / 2) + 2 * (y >= kHeight / 2))));
        const std::string file = path(QByteArray("turn" + QByteArray::number(tag) + ".tif").constData());
        cv::imwrite(file, stored);
        const auto image = Exiv2::ImageFactory::open(file);
        image->readMetadata();
        image->exifData()["Exif.Image.Orientation"] = uint16_t(tag);
        image->writeMetadata();
        const FramePtr frame = loadFrame(file);
        const Image<uint16_t> got = decoded(*frame);
        const bool turned = tag >= 5;
        QCOMPARE(frame->width, turned ? kHeight : kWidth);
        QCOMPARE(got.width(), frame->width);
        QCOMPARE(got.height(), frame->height);
        QString seen;
        for (int y : {1, got.height() - 2})
            for (int x : {1, got.width() - 2}) {
                const double code = encodeSrgb(double(linearOfCode(got.row(1, y)[x]))) * 255.0;
                seen += QChar('A' + int(std::lround(code / 50.0)) - 1);
            }
        seen.insert(2, '/');
        QCOMPARE(seen, upright);
    }
    void reducedPixelsAreMeansOfLight()
    {
        const Image<float> scene = test::rampScene(67, 45, 0.02, 4);
        demo::writeFrame(path("reduce.tif"), scene.view(), {}, demo::FrameFile::Tiff);
        const FramePtr frame = loadFrame(path("reduce.tif"));
        const Image<uint16_t> whole = decoded(*frame), small = decoded(*frame, 4);
        QCOMPARE(small.shape(), reducedShape(*frame, 4));
        QCOMPARE(small.width(), 17);
        for (int y : {0, 5, 11})
            for (int x : {0, 8, 16}) {
                double sum = 0.0, count = 0.0;
                for (int v = 4 * y; v < std::min(45, 4 * y + 4); ++v)
                    for (int u = 4 * x; u < std::min(67, 4 * x + 4); ++u, ++count)
                        sum += whole.row(0, v)[u];
                QVERIFY(std::abs(sum / count - small.row(0, y)[x]) <= 0.51); // rounding
            }
    }
    void jpegReducesLikeItsFullDecode()
    {
        const Image<float> scene = test::rampScene(400, 300, 0.05, 3);
        demo::writeFrame(path("reduce.jpg"), scene.view(), {}, demo::FrameFile::Jpeg);
        const FramePtr frame = loadFrame(path("reduce.jpg"));
        for (int r : {2, 8, 16}) {
            const Image<uint16_t> small = decoded(*frame, r);
            QCOMPARE(small.shape(), reducedShape(*frame, r));
            const int x = small.width() / 2, y = small.height() / 2;
            const double want = double(scene.row(1, y * r)[x * r]);
            QVERIFY2(std::abs(double(linearOfCode(small.row(1, y)[x])) / want - 1.0) < 0.3,
                     qPrintable(QString::number(r)));
        }
    }
    void identityIsContent()
    {
        demo::writeFrame(path("one.jpg"), test::flat(16, 16, 0.1f, 0.1f, 0.1f).view(), {}, demo::FrameFile::Jpeg);
        QFile::copy(dir_.filePath("one.jpg"), dir_.filePath("copy.jpg"));
        QCOMPARE(loadFrame(path("one.jpg"))->id, loadFrame(path("copy.jpg"))->id);
    }
    void changedFilesAreNoticed()
    {
        demo::writeFrame(path("change.jpg"), test::flat(16, 16, 0.1f, 0.1f, 0.1f).view(), {}, demo::FrameFile::Jpeg);
        const FramePtr frame = loadFrame(path("change.jpg"));
        demo::writeFrame(path("change.jpg"), test::flat(24, 16, 0.1f, 0.1f, 0.1f).view(), {}, demo::FrameFile::Jpeg);
        QVERIFY_THROWS_EXCEPTION(InputError, decoded(*frame));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, decoded(*frame, 3));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, decoded(*frame, 0));
    }
    void cancelEndsTheDecode()
    {
        demo::writeFrame(path("cancel.tif"), test::flat(16, 400, 0.1f, 0.1f, 0.1f).view(), {}, demo::FrameFile::Tiff);
        const FramePtr frame = loadFrame(path("cancel.tif"));
        std::stop_source stop;
        SerialRunner serial;
        ExecContext ctx(serial, stop.get_token(), [&](double p) {
            if (p > 0.3)
                stop.request_stop();
        });
        QVERIFY_THROWS_EXCEPTION(Cancelled, decodeFrame(*frame, 1, ctx));
    }
};

QTEST_GUILESS_MAIN(TestFrame)
#include "tst_frame.moc"
