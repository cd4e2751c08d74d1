// Reading developed files: against OpenCV as second reader, and against damage of every kind.
#include "base/errors.h"
#include "io/codec.h"
#include "io/tiff.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>
#include <QTemporaryDir>
#include <QTest>

#include <cstdio>
#include <cstring>
#include <jpeglib.h>
#include <png.h>
#include <random>
#include <tiffio.h>
#include <zlib.h>

using namespace yolk;

namespace {

cv::Mat noisePicture(int width, int height, int type)
{
    cv::Mat out(height, width, type);
    cv::theRNG().state = 5;
    cv::randu(out, cv::Scalar::all(0), cv::Scalar::all(out.depth() == CV_16U ? 65536 : 256));
    return out;
}

/// All samples as one picture of 16 bits, RGB order like OpenCV's BGR turned round.
cv::Mat readWith(const std::string &path)
{
    const Codec &codec = codecOf(path);
    const PictureInfo info = codec.readInfo(path);
    cv::Mat out(info.height, info.width, CV_MAKETYPE(info.bits == 16 ? CV_16U : CV_8U, info.channels));
    int rows = 0;
    SerialRunner serial;
    ExecContext ctx(serial);
    const auto keep = [&](int y, const CodedRow &row) {
        if (info.bits == 16)
            std::memcpy(out.ptr(y), row.sixteen.data(), row.sixteen.size_bytes());
        else
            std::memcpy(out.ptr(y), row.eight.data(), row.eight.size_bytes());
        ++rows;
    };
    codec.readRows(path, 1, {}, keep, ctx);
    return rows == info.height ? out : cv::Mat();
}

cv::Mat reference(const std::string &path)
{
    cv::Mat m = cv::imread(path, cv::IMREAD_UNCHANGED | cv::IMREAD_IGNORE_ORIENTATION);
    if (m.channels() == 4) {
        std::vector<cv::Mat> planes;
        cv::split(m, planes);
        planes.pop_back();
        cv::merge(planes, m);
    }
    if (m.channels() == 3) {
        std::vector<cv::Mat> planes;
        cv::split(m, planes);
        std::swap(planes[0], planes[2]);
        cv::merge(planes, m);
    }
    return m;
}

void writeCmykJpeg(const std::string &path)
{
    FILE *file = std::fopen(path.c_str(), "wb");
    jpeg_error_mgr errors;
    jpeg_compress_struct info{};
    info.err = jpeg_std_error(&errors);
    jpeg_create_compress(&info);
    jpeg_stdio_dest(&info, file);
    info.image_width = info.image_height = 16;
    info.input_components = 4;
    info.in_color_space = JCS_CMYK;
    jpeg_set_defaults(&info);
    jpeg_start_compress(&info, TRUE);
    std::vector<JSAMPLE> row(64, 99);
    JSAMPROW rows[1] = {row.data()};
    for (int y = 0; y < 16; ++y)
        jpeg_write_scanlines(&info, rows, 1);
    jpeg_finish_compress(&info);
    jpeg_destroy_compress(&info);
    std::fclose(file);
}

void writeTiledTiff(const std::string &path, const cv::Mat &rgb)
{
    TIFF *tiff = TIFFOpen(path.c_str(), "w");
    TIFFSetField(tiff, TIFFTAG_IMAGEWIDTH, rgb.cols);
    TIFFSetField(tiff, TIFFTAG_IMAGELENGTH, rgb.rows);
    TIFFSetField(tiff, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(tiff, TIFFTAG_BITSPERSAMPLE, 16);
    TIFFSetField(tiff, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(tiff, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tiff, TIFFTAG_TILEWIDTH, 16);
    TIFFSetField(tiff, TIFFTAG_TILELENGTH, 32);
    std::vector<uint16_t> tile(16 * 32 * 3);
    for (int ty = 0; ty < rgb.rows; ty += 32)
        for (int tx = 0; tx < rgb.cols; tx += 16) {
            for (int y = 0; y < 32 && ty + y < rgb.rows; ++y)
                for (int x = 0; x < 16 && tx + x < rgb.cols; ++x)
                    std::memcpy(&tile[size_t(y * 16 + x) * 3], rgb.ptr<uint16_t>(ty + y) + (tx + x) * 3, 6);
            TIFFWriteTile(tiff, tile.data(), uint32_t(tx), uint32_t(ty), 0, 0);
        }
    TIFFClose(tiff);
}

} // namespace

class TestCodecs : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::string path(const char *name) const { return dir_.filePath(QString::fromLatin1(name)).toStdString(); }

private Q_SLOTS:
    void agreesWithASecondReader_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("type");
        QTest::newRow("jpeg") << "a.jpg" << CV_8UC3;
        QTest::newRow("grey jpeg") << "b.jpg" << CV_8UC1;
        QTest::newRow("png 8") << "c.png" << CV_8UC3;
        QTest::newRow("png 16") << "d.png" << CV_16UC3;
        QTest::newRow("png alpha") << "e.png" << CV_8UC4;
        QTest::newRow("grey png 16") << "f.png" << CV_16UC1;
        QTest::newRow("tiff 8") << "g.tif" << CV_8UC3;
        QTest::newRow("tiff 16") << "h.tif" << CV_16UC3;
        QTest::newRow("tiff alpha") << "i.tif" << CV_16UC4;
        QTest::newRow("grey tiff") << "j.tif" << CV_8UC1;
    }
    void agreesWithASecondReader()
    {
        QFETCH(QString, name);
        QFETCH(int, type);
        const std::string file = path(name.toLatin1().constData());
        QVERIFY(cv::imwrite(file, noisePicture(53, 37, type)));
        const cv::Mat got = readWith(file), want = reference(file);
        QCOMPARE(got.type(), want.type());
        // The same libraries below, so the same numbers; JPEG's upsampling may differ by rounding.
        QVERIFY(cv::norm(got, want, cv::NORM_INF) <= (name.endsWith(".jpg") ? 2.0 : 0.0));
    }
    void tiledTiff()
    {
        const cv::Mat picture = noisePicture(53, 71, CV_16UC3);
        writeTiledTiff(path("tiles.tif"), picture);
        QCOMPARE(cv::norm(readWith(path("tiles.tif")), picture, cv::NORM_INF), 0.0);
    }
    void ourTiffIsReadByOthers()
    {
        const cv::Mat picture = noisePicture(41, 130, CV_16UC3);
        writeTiff(path("ours.tif"), 41, 130, {},
                  [&](int y, std::span<uint16_t> row) { std::memcpy(row.data(), picture.ptr(y), row.size_bytes()); });
        QCOMPARE(cv::norm(reference(path("ours.tif")), picture, cv::NORM_INF), 0.0);
    }
    void jpegDecodesSmaller()
    {
        cv::imwrite(path("large.jpg"), cv::Mat(101, 203, CV_8UC3, cv::Scalar(40, 90, 200)));
        const Codec &codec = codecOf(path("large.jpg"));
        QCOMPARE(codec.reducedBy(4), 4);
        QCOMPARE(codec.reducedBy(32), 8);
        int rows = 0;
        size_t samples = 0;
        SerialRunner serial;
        ExecContext ctx(serial);
        const auto look = [&](int, const CodedRow &row) {
            ++rows;
            samples = row.eight.size();
            QVERIFY(std::abs(row.eight[0] - 200) <= 3 && std::abs(row.eight[2] - 40) <= 3);
        };
        codec.readRows(path("large.jpg"), 4, {}, look, ctx);
        QCOMPARE(rows, 26); // rounded up
        QCOMPARE(samples, size_t(51 * 3));
    }
    void cutFilesAreErrors_data()
    {
        QTest::addColumn<QString>("name");
        for (const char *name : {"cut.jpg", "cut.png", "cut.tif"})
            QTest::newRow(name) << name;
    }
    void cutFilesAreErrors()
    {
        QFETCH(QString, name);
        const QString whole = dir_.filePath(QStringLiteral("whole-") + name), cut = dir_.filePath(name);
        cv::imwrite(whole.toStdString(), noisePicture(64, 64, CV_8UC3));
        const QByteArray bytes = test::bytesOf(whole);
        for (qint64 length : {qint64(0), qint64(1), qint64(3), qint64(9), qint64(40), qint64(200), bytes.size() / 4,
                              bytes.size() / 2, bytes.size() * 9 / 10}) {
            test::writeBytes(cut, bytes.first(length));
            try {
                readWith(cut.toStdString());
                QFAIL(qPrintable(QStringLiteral("%1 bytes of %2 were read").arg(length).arg(name)));
            } catch (const InputError &e) {
                QCOMPARE(QString::fromStdString(e.file()), cut);
                QVERIFY(QByteArray(e.what()).startsWith(cut.toUtf8() + ": "));
            }
        }
    }
    void damagedFilesNeverCrash()
    {
        // Each byte flip either still decodes or is an InputError: anything else ends the test program.
        std::mt19937 random(11);
        int errors = 0;
        for (const char *name : {"flip.jpg", "flip.png", "flip.tif"}) {
            const QString file = dir_.filePath(QString::fromLatin1(name));
            cv::imwrite(file.toStdString(), noisePicture(24, 24, CV_8UC3));
            const QByteArray bytes = test::bytesOf(file);
            for (int i = 0; i < 150; ++i) {
                QByteArray bad = bytes;
                // Mostly the header, where lies about sizes sit.
                const qsizetype at = qsizetype(random()) % (i % 3 ? std::min<qsizetype>(bad.size(), 200) : bad.size());
                bad[at] = char(random());
                test::writeBytes(file, bad);
                try {
                    readWith(file.toStdString());
                } catch (const InputError &) {
                    ++errors;
                }
            }
        }
        QVERIFY(errors > 20);
    }
    void aJpegWithoutItsQuantisersIsAnError()
    {
        const QString file = dir_.filePath("quantisers.jpg");
        cv::imwrite(file.toStdString(), noisePicture(24, 24, CV_8UC3));
        QByteArray bytes = test::bytesOf(file);
        const qsizetype frame = bytes.indexOf(QByteArray::fromHex("ffc0")); // start of frame, ITU-T T.81 B.2.2
        QVERIFY(frame > 0);
        bytes[frame + 12] = char(132); // the first component's table; there are four
        test::writeBytes(file, bytes);
        QVERIFY_THROWS_EXCEPTION(InputError, readWith(file.toStdString()));
    }
    void wrongKindsSayWhatIsWrong()
    {
        const auto reasonOf = [](const std::string &file) -> std::string {
            try {
                readWith(file);
                return "read";
            } catch (const InputError &e) {
                return e.what();
            }
        };
        test::writeBytes(dir_.filePath("text.jpg"), "This is not a picture.");
        QVERIFY(reasonOf(path("text.jpg"))
                    .ends_with("is not a picture in a format that can be read (raw, DNG, TIFF, JPEG, PNG, HEIF, AVIF, "
                               "JPEG XL, EXR, "
                               "HDR)"));
        test::writeBytes(dir_.filePath("empty.png"), "");
        QVERIFY(reasonOf(path("empty.png")).ends_with("the file is empty"));
        QVERIFY(reasonOf(path("none.png")).ends_with("there is no such file"));
        QVERIFY(reasonOf(dir_.path().toStdString()).ends_with("is a folder, not a picture"));
        writeCmykJpeg(path("cmyk.jpg"));
        QVERIFY(reasonOf(path("cmyk.jpg")).ends_with("is a CMYK JPEG; convert it to RGB"));
        cv::imwrite(path("double.tif"), cv::Mat(8, 8, CV_64FC1, cv::Scalar(0.5)), {cv::IMWRITE_TIFF_COMPRESSION, 1});
        QVERIFY2(reasonOf(path("double.tif")).find("64 bits") != std::string::npos,
                 reasonOf(path("double.tif")).c_str());
    }
    void hugeDeclaredSizeIsRefusedFirst()
    {
        // A PNG header that claims 100000 x 100000 pixels: 37 bytes, no pixels.
        QByteArray png("\x89PNG\r\n\x1a\n\0\0\0\x0dIHDR\0\x01\x86\xa0\0\x01\x86\xa0\x08\x02\0\0\0", 29);
        const unsigned long crc = crc32(0, reinterpret_cast<const unsigned char *>(png.constData()) + 12, 17);
        for (int shift : {24, 16, 8, 0})
            png.append(char((crc >> shift) & 0xFF));
        png.append(QByteArray("\0\0\0\0IDAT\x35\xaf\x06\x1e", 12));
        test::writeBytes(dir_.filePath("huge.png"), png);
        try {
            codecOf(path("huge.png")).readInfo(path("huge.png"));
            QFAIL("read");
        } catch (const InputError &e) {
            QVERIFY2(QByteArray(e.what()).contains("100000 x 100000"), e.what());
        }
        QVERIFY_THROWS_EXCEPTION(InputError, checkSize("x", 0, 5));
        checkSize("x", 16000, 16000); // 256 megapixels are fine
    }
    void sinkCanEndTheReading()
    {
        cv::imwrite(path("stop.jpg"), noisePicture(64, 64, CV_8UC3));
        cv::imwrite(path("stop.png"), noisePicture(64, 64, CV_8UC3));
        SerialRunner serial;
        ExecContext ctx(serial);
        const auto stop = [](int y, const CodedRow &) {
            if (y == 3)
                throw Cancelled();
        };
        for (const char *name : {"stop.jpg", "stop.png"})
            QVERIFY_THROWS_EXCEPTION(Cancelled, codecOf(path(name)).readRows(path(name), 1, {}, stop, ctx));
    }
};

QTEST_GUILESS_MAIN(TestCodecs)
#include "tst_codecs.moc"
