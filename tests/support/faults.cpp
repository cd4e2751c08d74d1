#include "support/faults.h"

#include "io/radiance_file.h"
#include "support/synthetic.h"

#include <exiv2/exiv2.hpp>
#include <opencv2/imgcodecs.hpp>
#include <QDir>

#include <cstdio>
#include <cstring>
#include <functional>
#include <jpeglib.h>
#include <limits>
#include <zlib.h>

namespace yolk::test {
namespace {

constexpr int kWidth = 240, kHeight = 160;

void writeCmykJpeg(const std::string &path)
{
    jpeg_compress_struct jpeg;
    jpeg_error_mgr errors;
    jpeg.err = jpeg_std_error(&errors);
    jpeg_create_compress(&jpeg);
    FILE *file = std::fopen(path.c_str(), "wb");
    jpeg_stdio_dest(&jpeg, file);
    jpeg.image_width = kWidth;
    jpeg.image_height = kHeight;
    jpeg.input_components = 4;
    jpeg.in_color_space = JCS_CMYK;
    jpeg_set_defaults(&jpeg);
    jpeg_start_compress(&jpeg, TRUE);
    std::vector<JSAMPLE> row(kWidth * 4, 90);
    for (JSAMPROW p = row.data(); jpeg.next_scanline < jpeg.image_height;)
        jpeg_write_scanlines(&jpeg, &p, 1);
    jpeg_finish_compress(&jpeg);
    jpeg_destroy_compress(&jpeg);
    std::fclose(file);
}

/// A little-endian TIFF whose entry for `tag` says `value` as 32 bits.
void claim(QByteArray &tiff, uint16_t tag, uint32_t value)
{
    const auto number = [&](qsizetype at, int bytes) {
        quint64 v = 0;
        for (int i = bytes - 1; i >= 0; --i)
            v = (v << 8) | uchar(tiff[at + i]);
        return v;
    };
    const qsizetype directory = qsizetype(number(4, 4));
    for (qsizetype i = 0; i < qsizetype(number(directory, 2)); ++i) {
        const qsizetype entry = directory + 2 + 12 * i;
        if (number(entry, 2) != tag)
            continue;
        tiff[entry + 2] = 4; // LONG
        for (int k = 0; k < 4; ++k)
            tiff[entry + 8 + k] = char(value >> (8 * k));
        return;
    }
    qFatal("the TIFF has no tag %d", tag);
}

/// The same file with another size in its header.
QByteArray claimingHugeJpeg(QByteArray jpeg)
{
    const qsizetype frame = jpeg.indexOf(QByteArray::fromHex("ffc0"));
    jpeg.replace(frame + 5, 4, QByteArray::fromHex("fde8fde8"));
    return jpeg;
}
QByteArray claimingHugePng(QByteArray png)
{
    for (qsizetype at : {16, 20}) // width and height of the first chunk, big-endian
        png.replace(at, 4, QByteArray::fromHex("000186a0"));
    const auto sum = uint32_t(crc32(0, reinterpret_cast<const Bytef *>(png.constData() + 12), 17));
    for (int k = 0; k < 4; ++k)
        png[29 + k] = char(sum >> (24 - 8 * k));
    return png;
}
QByteArray claimingHugeTiff(QByteArray tiff)
{
    claim(tiff, 256, 100000);
    claim(tiff, 257, 100000);
    return tiff;
}

void setExif(const QString &path, const std::function<void(Exiv2::ExifData &)> &change)
{
    const auto image = Exiv2::ImageFactory::open(path.toStdString());
    image->readMetadata();
    change(image->exifData());
    image->writeMetadata();
}

} // namespace

namespace {

/// Every entry of ColorMatrix1 (tag 50721, nine signed fractions) the same: no inverse.
QByteArray withoutColourMatrix(QByteArray dng)
{
    const QByteArray entry("\x21\xc6\x0a\x00\x09\x00\x00\x00", 8);
    for (qsizetype i = dng.indexOf(entry); i >= 0; i = dng.indexOf(entry, i + 1)) {
        uint32_t offset = 0;
        std::memcpy(&offset, dng.constData() + i + 8, sizeof offset);
        for (int k = 0; k < 9; ++k) {
            const int32_t half[2] = {1, 2};
            std::memcpy(dng.data() + offset + 8 * k, half, sizeof half);
        }
    }
    return dng;
}

} // namespace

std::vector<Fault> writeFaults(const QString &folder)
{
    const QDir dir(folder);
    const auto at = [&](const QString &name) { return dir.filePath(name); };
    const auto path = [&](const QString &name) { return at(name).toStdString(); };
    const Image<float> scene = rampScene(kWidth, kHeight, 0.002, 9);
    const demo::Shot shot = shotAt(0, 1.0, 1);
    const auto developed = [&](const QString &name, ImageView<const float> of, demo::FrameFile kind) {
        demo::writeFrame(path(name), demo::expose(of, shot).view(), shot, kind);
    };
    for (int i = 0; i < 3; ++i) {
        const demo::Shot good = shotAt(2.0 * (i - 1), 1.0, uint64_t(i) + 1);
        demo::writeFrame(path(QString("good_%1.jpg").arg(i + 1)), demo::expose(scene.view(), good).view(), good,
                         demo::FrameFile::Jpeg);
    }

    // One whole file of each format, to be damaged.
    developed("whole.jpg", scene.view(), demo::FrameFile::Jpeg);
    developed("whole.tif", scene.view(), demo::FrameFile::Tiff);
    demo::writeDng(path("whole.dng"), demo::exposeMosaic(scene.view(), shot).view(), shot);
    cv::imwrite(path("whole.png"), cv::imread(path("whole.jpg")));
    writeExr(path("whole.exr"), scene.view(), {});
    writeRadianceHdr(path("whole.hdr"), scene.view());

    std::vector<Fault> out;
    const auto put = [&](const QString &name, const QByteArray &bytes, const QString &refusal) {
        writeBytes(at(name), bytes);
        // What says that it is radiance is not even read beside frames.
        const bool whole = name == "truncated.exr" || name == "truncated.hdr";
        out.push_back({name, refusal, whole ? QString("is merged already") : refusal});
    };
    for (const char *suffix : {"jpg", "tif", "png", "dng", "exr", "hdr"}) {
        const QByteArray bytes = bytesOf(at(QString("whole.%1").arg(suffix)));
        const bool radiance = suffix == QByteArray("exr") || suffix == QByteArray("hdr");
        const bool countsRows = suffix == QByteArray("jpg") || suffix == QByteArray("png");
        put(QString("truncated.%1").arg(suffix), bytes.first(bytes.size() * 6 / 10),
            suffix == QByteArray("exr") ? "cut off or damaged"
            : countsRows                ? "ends too early"
                                        : "damaged");
        put(QString("empty.%1").arg(suffix), {}, "the file is empty");
        put(QString("text.%1").arg(suffix), "Two hens, five eggs.\n", "is not a picture in a format that can be read");
        if (suffix == QByteArray("hdr")) { // a header without the empty line that ends it
            QByteArray endless = bytes;
            endless.replace("\n\n", "\n#");
            put("header-line.hdr", endless, "is a damaged Radiance HDR file");
        }
        if (suffix == QByteArray("dng"))
            put("no-matrix.dng", withoutColourMatrix(bytes), "colour");
        QFile::remove(at(QString("whole.%1").arg(suffix)));
        if (suffix == QByteArray("jpg"))
            put("huge.jpg", claimingHugeJpeg(bytes), "65000 x 65000");
        else if (suffix == QByteArray("png"))
            put("huge.png", claimingHugePng(bytes), "100000 x 100000");
        else if (!radiance) // a sensor of 2^16 and more pixels a side is refused by the raw library itself
            put(QString("huge.%1").arg(suffix), claimingHugeTiff(bytes),
                suffix == QByteArray("tif") ? "100000 x 100000" : "huge.dng");
    }

    writeCmykJpeg(path("cmyk.jpg"));
    out.push_back({"cmyk.jpg", "CMYK", "CMYK"});
    cv::imwrite(path("grey.jpg"), cv::Mat(kHeight, kWidth, CV_8UC1, cv::Scalar(90)));
    out.push_back({"grey.jpg", "", ""});
    for (const char *name : {"one-pixel.jpg", "one-pixel.png", "one-pixel.tif"}) {
        cv::imwrite(path(name), cv::Mat(1, 1, CV_8UC3, cv::Scalar(90, 80, 70)));
        out.push_back({name, "", "1 x 1 pixels, the others 240 x 160"});
    }
    developed("other-size.jpg", rampScene(kWidth - 40, kHeight, 0.002, 9).view(), demo::FrameFile::Jpeg);
    out.push_back({"other-size.jpg", "", "200 x 160 pixels, the others 240 x 160"});
    developed("no-metadata.jpg", scene.view(), demo::FrameFile::Jpeg);
    setExif(at("no-metadata.jpg"), [](Exiv2::ExifData &exif) { exif.clear(); });
    out.push_back({"no-metadata.jpg", "", ""});
    developed("contradictory-metadata.jpg", scene.view(),
              demo::FrameFile::Jpeg); // 1/32 s in one tag, 1/1024 s in another
    setExif(at("contradictory-metadata.jpg"), [](Exiv2::ExifData &exif) {
        exif["Exif.Photo.ShutterSpeedValue"] = Exiv2::Rational(10, 1);
        exif["Exif.Photo.FNumber"] = Exiv2::URational(0, 0);
    });
    out.push_back({"contradictory-metadata.jpg", "", ""});
    developed("stray.jpg", flat(kWidth, kHeight, 0.1f, 0.3f, 0.02f).view(), demo::FrameFile::Jpeg);
    out.push_back({"stray.jpg", "", ""});

    Image<float> odd(kWidth, kHeight, 3);
    odd.row(0, 3)[5] = std::numeric_limits<float>::quiet_NaN();
    odd.row(1, 4)[5] = std::numeric_limits<float>::infinity();
    odd.row(2, 5)[5] = -std::numeric_limits<float>::infinity();
    writeExr(path("not-numbers.exr"), odd.view(), {});
    out.push_back({"not-numbers.exr", "", "is merged already"});
    return out;
}

} // namespace yolk::test
