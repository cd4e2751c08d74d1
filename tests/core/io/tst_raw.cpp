// Raw files as the core reads them, against what the simulated camera put into them.
#include "base/errors.h"
#include "frames/frame.h"
#include "io/codec.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>
#include <QTemporaryDir>
#include <QTest>

#include <array>
#include <cmath>
#include <tiffio.h>

using namespace yolk;

namespace {

struct Statistics {
    double mean = 0.0, deviation = 0.0;
};
Statistics statisticsOf(const Image<uint16_t> &codes, int channel)
{
    double sum = 0.0, squares = 0.0, count = 0.0;
    for (int y = 4; y < codes.height() - 4; ++y) // clear of the border, which is interpolated otherwise
        for (int x = 4; x < codes.width() - 4; ++x) {
            const double z = double(linearOfCode(codes.row(channel, y)[x]));
            sum += z;
            squares += z * z;
            count += 1.0;
        }
    const double mean = sum / count;
    return {mean, std::sqrt(squares / count - mean * mean)};
}

} // namespace

class TestRaw : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    SerialRunner serial_;

    FramePtr shoot(const char *name, const Image<float> &scene, const demo::Shot &shot = {})
    {
        const std::string path = dir_.filePath(name).toStdString();
        demo::writeDng(path, demo::exposeMosaic(scene.view(), shot).view(), shot);
        return loadFrame(path);
    }
    Image<uint16_t> decode(const FramePtr &frame, int reduction = 1)
    {
        ExecContext ctx(serial_);
        return decodeFrame(*frame, reduction, ctx);
    }

private Q_SLOTS:
    void saysWhatItIs()
    {
        const FramePtr frame = shoot("a.dng", test::flat(301, 203, 0.2f, 0.2f, 0.2f));
        QCOMPARE(frame->format, std::string("raw"));
        QCOMPARE(frame->width, 301);
        QCOMPARE(frame->height, 203);
        QCOMPARE(frame->bits, demo::kSensorBits);
        QCOMPARE(frame->metadata.exposureSeconds.value(), 0.1);
        QCOMPARE(frame->metadata.camera, std::string("Coop Pinhole 1"));
        for (size_t i = 0; i < 3; ++i) // as rational numbers of some 32 bits hold it
            QVERIFY(std::abs(frame->codeValues.neutral[i] - demo::kNeutral[i]) < 1e-4);
    }
    void valuesAreThoseOfTheSensor()
    {
        // Flat light: demosaicing cannot change means. 1e5 pixels: the mean's own error is below 2e-5.
        const FramePtr frame = shoot("flat.dng", test::flat(400, 300, 0.30f, 0.12f, 0.05f));
        const Vector3 camera = demo::kCameraOfRec709 * Vector3{0.30, 0.12, 0.05};
        for (int reduction : {1, 2, 4}) {
            const Image<uint16_t> got = decode(frame, reduction);
            QCOMPARE(got.shape(), reducedShape(*frame, reduction));
            for (int c = 0; c < 3; ++c) {
                const double want = camera[size_t(c)] * demo::kNeutral[size_t(c)];
                const double mean = statisticsOf(got, c).mean;
                QVERIFY2(std::abs(mean - want) < 1e-4, qPrintable(QString("%1 %2").arg(mean).arg(want)));
            }
        }
    }
    void coloursComeBack()
    {
        const FramePtr frame = shoot("colour.dng", test::flat(200, 150, 0.30f, 0.12f, 0.05f));
        const Image<uint16_t> got = decode(frame);
        Vector3 camera;
        for (int c = 0; c < 3; ++c)
            camera[size_t(c)] = statisticsOf(got, c).mean;
        const Vector3 want = rgbToRgb(kRec709, kRec2020) * Vector3{0.30, 0.12, 0.05};
        const Vector3 back = frame->codeValues.toRec2020 * camera;
        for (size_t i = 0; i < 3; ++i) // the mean's noise, times coefficients up to 3 of the matrix
            QVERIFY2(std::abs(back[i] - want[i]) < 1e-3, qPrintable(QString("%1 %2").arg(back[i]).arg(want[i])));
    }
    void noiseBelowBlackIsKept()
    {
        const FramePtr frame = shoot("black.dng", test::flat(400, 300, 0, 0, 0));
        const Image<uint16_t> got = decode(frame, 2); // a cell of the array each: red and blue are not interpolated
        const double read = demo::kReadNoise / demo::kFullWell;
        for (int c : {0, 2}) {
            const Statistics s = statisticsOf(got, c);
            QVERIFY2(std::abs(s.mean) < 0.1 * read, qPrintable(QString::number(s.mean / read)));
            QVERIFY2(std::abs(s.deviation / read - 1.0) < 0.05, qPrintable(QString::number(s.deviation / read)));
        }
    }
    void clippingIsOneInEveryChannel()
    {
        const FramePtr frame = shoot("white.dng", test::flat(120, 80, 9, 9, 9));
        for (int reduction : {1, 2})
            for (int c = 0; c < 3; ++c) {
                const Statistics s = statisticsOf(decode(frame, reduction), c);
                // Half a code of the balanced 16 bits, over the smallest factor of the balance.
                QVERIFY2(std::abs(s.mean - 1.0) < 3e-5 && s.deviation < 3e-5, qPrintable(QString::number(s.mean)));
            }
    }
    void orientationIsHonoured()
    {
        Image<float> scene = test::flat(160, 100, 0.1f, 0.1f, 0.1f);
        for (int y = 0; y < 30; ++y)
            for (int x = 0; x < 40; ++x)
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = 0.8f; // left top
        const FramePtr upright = shoot("up.dng", scene);
        QByteArray bytes = test::bytesOf(QString::fromStdString(upright->path));
        // The Orientation entry of the first directory: tag 274, type 3, count 1, value 1 -> 6.
        const QByteArray entry = QByteArray::fromHex("120103000100000001");
        const qsizetype at = bytes.lastIndexOf(entry); // libtiff leaves its first, unfinished directory behind
        QVERIFY(at > 0);
        bytes[at + entry.size() - 1] = 6;
        test::writeBytes(dir_.filePath("turned.dng"), bytes);
        const FramePtr turned = loadFrame(dir_.filePath("turned.dng").toStdString());
        QCOMPARE(turned->width, 100);
        const Image<uint16_t> got = decode(turned);
        QVERIFY(linearOfCode(got.row(1, 10)[90]) > 0.7f); // right top
        QVERIFY(linearOfCode(got.row(1, 10)[10]) < 0.2f);
    }
    void demosaicedDngIsRead()
    {
        // Three linear samples a pixel, as some programs save raw files: width 301, so that a half pixel is left over.
        const std::string path = dir_.filePath("linear.dng").toStdString();
        const int width = 301, height = 200;
        {
            const std::unique_ptr<TIFF, void (*)(TIFF *)> tiff(TIFFOpen(path.c_str(), "wl"), &TIFFClose);
            const std::array<uint8_t, 4> version = {1, 4, 0, 0};
            const std::array<float, 9> matrix = {3.2406f, -1.5372f, -0.4986f, -0.9689f, 1.8758f,
                                                 0.0415f, 0.0557f,  -0.2040f, 1.0570f}; // XYZ to sRGB, IEC 61966-2-1
            const std::array<float, 3> neutral = {1, 1, 1};
            const std::array<uint32_t, 3> white = {60000, 60000, 60000};
            TIFFSetField(tiff.get(), TIFFTAG_SUBFILETYPE, 0);
            TIFFSetField(tiff.get(), TIFFTAG_IMAGEWIDTH, width);
            TIFFSetField(tiff.get(), TIFFTAG_IMAGELENGTH, height);
            TIFFSetField(tiff.get(), TIFFTAG_BITSPERSAMPLE, 16);
            TIFFSetField(tiff.get(), TIFFTAG_SAMPLESPERPIXEL, 3);
            TIFFSetField(tiff.get(), TIFFTAG_PHOTOMETRIC, 34892);
            TIFFSetField(tiff.get(), TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
            TIFFSetField(tiff.get(), TIFFTAG_ROWSPERSTRIP, height);
            TIFFSetField(tiff.get(), TIFFTAG_MAKE, "Coop");
            TIFFSetField(tiff.get(), TIFFTAG_MODEL, "Coop Linear");
            TIFFSetField(tiff.get(), TIFFTAG_UNIQUECAMERAMODEL, "Coop Linear");
            TIFFSetField(tiff.get(), TIFFTAG_DNGVERSION, version.data());
            TIFFSetField(tiff.get(), TIFFTAG_WHITELEVEL, 3, white.data());
            TIFFSetField(tiff.get(), TIFFTAG_CALIBRATIONILLUMINANT1, 21);
            TIFFSetField(tiff.get(), TIFFTAG_COLORMATRIX1, 9, matrix.data());
            TIFFSetField(tiff.get(), TIFFTAG_ASSHOTNEUTRAL, 3, neutral.data());
            std::vector<uint16_t> row(size_t(width) * 3);
            for (int y = 0; y < height; ++y) {
                for (int x = 0; x < width; ++x) {
                    row[size_t(3 * x)] = uint16_t(6000 + 100 * x);
                    row[size_t(3 * x + 1)] = 30000;
                    row[size_t(3 * x + 2)] = uint16_t(100 * y);
                }
                QVERIFY(TIFFWriteScanline(tiff.get(), row.data(), uint32_t(y)) > 0);
            }
        }
        const FramePtr frame = loadFrame(path);
        QCOMPARE(frame->format, std::string("raw"));
        const Image<uint16_t> full = decode(frame), half = decode(frame, 2);
        QCOMPARE(half.shape(), reducedShape(*frame, 2));
        const auto near = [](uint16_t code, double linear) {
            return std::abs(double(linearOfCode(code)) - linear) < 5e-5;
        };
        QVERIFY(near(full.row(0, 50)[100], 16000 / 60000.0) && near(full.row(1, 50)[100], 0.5) &&
                near(full.row(2, 50)[100], 5000 / 60000.0));
        QVERIFY(near(half.row(0, 25)[50], 16050 / 60000.0) && near(half.row(2, 25)[50], 5050 / 60000.0));
        QVERIFY(near(half.row(0, 25)[150], 36000 / 60000.0)); // the column left over stands alone
    }
    void plainTiffIsNotRaw()
    {
        cv::imwrite(dir_.filePath("plain.tif").toStdString(), cv::Mat(40, 60, CV_16UC3, cv::Scalar(9, 99, 999)));
        QCOMPARE(std::string(codecOf(dir_.filePath("plain.tif").toStdString()).name), std::string("TIFF"));
    }
    void damageIsAnError_data()
    {
        QTest::addColumn<double>("share");
        for (double share : {0.9, 0.5, 0.02, 0.0001})
            QTest::addRow("%g", share) << share;
    }
    void damageIsAnError()
    {
        QFETCH(double, share);
        const FramePtr whole = shoot("whole.dng", test::rampScene(400, 300, 0.01, 8));
        const QByteArray bytes = test::bytesOf(QString::fromStdString(whole->path));
        const std::string cut = dir_.filePath("cut.dng").toStdString();
        test::writeBytes(QString::fromStdString(cut), bytes.first(qsizetype(share * double(bytes.size()))));
        QVERIFY_THROWS_EXCEPTION(InputError, decode(loadFrame(cut)));
    }
    void randomDamageNeverCrashes()
    {
        const FramePtr whole = shoot("fuzz.dng", test::rampScene(200, 100, 0.01, 8));
        const QByteArray bytes = test::bytesOf(QString::fromStdString(whole->path));
        const std::string path = dir_.filePath("fuzzed.dng").toStdString();
        int refused = 0;
        for (int i = 0; i < 300; ++i) {
            QByteArray damaged = bytes;
            uint64_t random = uint64_t(i) * 0x9E3779B97F4A7C15ull + 1;
            for (int k = 0; k < 4; ++k) {
                random = random * 6364136223846793005ull + 1442695040888963407ull;
                // The directories stand at the file's end, its header at the start: there damage tells.
                const qsizetype at =
                    k == 0 ? qsizetype(random >> 33) % 8 : bytes.size() - 1 - qsizetype(random >> 33) % 600;
                if (k > 0 || i % 5 == 0)
                    damaged[at] = char(random >> 24);
            }
            test::writeBytes(QString::fromStdString(path), damaged);
            try {
                decode(loadFrame(path), 2);
            } catch (const InputError &e) {
                ++refused;
                QVERIFY(QByteArray(e.what()).contains("fuzzed.dng"));
            }
        }
        QVERIFY2(refused > 20, qPrintable(QString::number(refused)));
    }
    void tooSmallIsAnError()
    {
        QVERIFY_THROWS_EXCEPTION(InputError, decode(shoot("tiny.dng", test::flat(2, 2, 0.1f, 0.1f, 0.1f))));
    }
    void stopsInTheMiddle()
    {
        const FramePtr frame = shoot("stop.dng", test::flat(400, 300, 0.1f, 0.1f, 0.1f));
        std::stop_source stop;
        stop.request_stop();
        ExecContext ctx(serial_, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, decodeFrame(*frame, 1, ctx));
    }
};

QTEST_GUILESS_MAIN(TestRaw)
#include "tst_raw.moc"
