// What is written: radiance files, metadata, and that a file is complete or absent.
#include "base/errors.h"
#include "io/atomic_file.h"
#include "io/jpeg.h"
#include "io/metadata.h"
#include "io/radiance_file.h"
#include "io/tiff.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include "frames/frame.h"

#include <exiv2/exiv2.hpp>
#include <ImfChannelList.h>
#include <ImfFloatVectorAttribute.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfInputFile.h>
#include <ImfStringVectorAttribute.h>
#include <opencv2/imgcodecs.hpp>
#include <QDir>
#include <QScopeGuard>
#include <QTemporaryDir>
#include <QTest>

#include <sys/inotify.h>
#include <unistd.h>

using namespace yolk;

class TestOutputFiles : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::string path(const char *name) const { return dir_.filePath(QString::fromLatin1(name)).toStdString(); }

private Q_SLOTS:
    void initTestCase() { qputenv("OPENCV_IO_ENABLE_OPENEXR", "1"); }

    void exrComesBackBitForBit()
    {
        const Image<float> in = test::rampScene(67, 45, 1e-6, 30);
        RadianceNotes notes{kAp1, 0.5, 8.0, 200.0, "2026:05:01 05:48:00", "Coop", "Yolk", {"a.dng", "b.dng"}, {-2, 0}};
        writeExr(path("a.exr"), in.view(), notes);
        const RadianceFile back = readExr(path("a.exr"));
        QCOMPARE(test::firstDifference(back.rgb.view(), in.view(), 0.0, 0.0), QByteArray());
        QVERIFY(std::abs(back.notes.primaries.green.y - 0.830) < 1e-6);
        QCOMPARE(back.notes.exposureSeconds.value_or(0), 0.5);
        const cv::Mat second = cv::imread(path("a.exr"), cv::IMREAD_UNCHANGED);
        QCOMPARE(second.type(), CV_32FC3);
        QCOMPARE(second.at<cv::Vec3f>(44, 66)[2], in.row(0, 44)[66]); // OpenCV has blue first
    }
    void exrKeepsNoiseSharesAndNotes()
    {
        // Read back by OpenEXR itself, every channel, across the border of a strip.
        constexpr int kWidth = 53, kHeight = 131, kFrames = 3;
        const auto value = [](int x, int y, int k) { return 1e-7f * float(1 + x) + float(y) * 0.25f + float(k); };
        const auto share = [](int x, int y, int k) { return float((x + y + k) % 256) / 255.0f; };
        const auto fill = [&](const RadianceStrip &strip) {
            for (int y = 0; y < strip.rgb.height(); ++y)
                for (int x = 0; x < kWidth; ++x)
                    for (int k = 0; k < 3; ++k) {
                        strip.rgb.row(k, y)[x] = value(x, strip.y + y, k);
                        strip.variance.row(k, y)[x] = 1e-12f * value(x, strip.y + y, k);
                        strip.shares.row(k, y)[x] = share(x, strip.y + y, k);
                    }
        };
        const RadianceNotes notes{kRec2020,  0.5, 8.0, 200.0, "", "Coop", "Yolk", {"a.dng", "b.dng", "c.dng"},
                                  {-2, 0, 2}};
        for (const RadianceCompression packed :
             {RadianceCompression::None, RadianceCompression::Zip, RadianceCompression::Piz})
            for (const RadiancePixels pixels : {RadiancePixels::Float, RadiancePixels::Half}) {
                writeExr(path("all.exr"), kWidth, kHeight, notes, {pixels, packed, true, kFrames}, fill);
                Imf::InputFile file(path("all.exr").c_str());
                const auto &channels = file.header().channels();
                QCOMPARE(channels.findChannel("R")->type, pixels == RadiancePixels::Half ? Imf::HALF : Imf::FLOAT);
                QCOMPARE(channels.findChannel("variance.G")->type, Imf::FLOAT);
                QCOMPARE(file.header().findTypedAttribute<Imf::StringVectorAttribute>("frameNames")->value()[1],
                         std::string("b.dng"));
                QCOMPARE(file.header().findTypedAttribute<Imf::FloatVectorAttribute>("frameEVs")->value()[0], -2.0f);
                const auto plane = [&](const char *name) {
                    std::vector<float> out(size_t(kWidth) * kHeight);
                    Imf::FrameBuffer buffer;
                    buffer.insert(name, Imf::Slice(Imf::FLOAT, reinterpret_cast<char *>(out.data()), sizeof(float),
                                                   kWidth * sizeof(float)));
                    file.setFrameBuffer(buffer);
                    file.readPixels(0, kHeight - 1);
                    return out;
                };
                const float off = pixels == RadiancePixels::Half ? 1.0f / 2048 : 0.0f; // half: 11 bits
                const std::vector<float> green = plane("G"), noise = plane("variance.B"), first = plane("share.1");
                for (int y = 0; y < kHeight; ++y)
                    for (int x = 0; x < kWidth; ++x) {
                        const size_t i = size_t(y) * kWidth + size_t(x);
                        QVERIFY(std::abs(green[i] - value(x, y, 1)) <= off * value(x, y, 1));
                        QCOMPARE(noise[i], 1e-12f * value(x, y, 2));
                        QVERIFY(std::abs(first[i] - share(x, y, 0)) <= 1.0f / 2048);
                    }
            }
    }
    void halfEndsAtItsLargestValue()
    {
        const auto fill = [](const RadianceStrip &strip) {
            for (int c = 0; c < 3; ++c)
                strip.rgb.row(c, 0)[0] = c == 0 ? 1e6f : c == 1 ? -1e6f : 2.0f;
        };
        writeExr(path("most.exr"), 1, 1, {}, {RadiancePixels::Half, RadianceCompression::Zip, false, 0}, fill);
        const RadianceFile back = readExr(path("most.exr"));
        QCOMPARE(back.rgb.row(0, 0)[0], 65504.0f);
        QCOMPARE(back.rgb.row(1, 0)[0], -65504.0f);
        QCOMPARE(back.rgb.row(2, 0)[0], 2.0f);
    }
    void floatTiffComesBackBitForBit()
    {
        const Image<float> in = test::rampScene(67, 135, 1e-6, 30);
        const std::vector<std::byte> profile = linearIccProfile(kRec2020, "Linear light");
        writeRadianceTiff(path("a.tif"), 67, 135, profile, [&](int y, std::span<float> row) {
            for (int x = 0; x < 67; ++x)
                for (int c = 0; c < 3; ++c)
                    row[size_t(3 * x + c)] = in.row(c, y)[x];
        });
        const cv::Mat second = cv::imread(path("a.tif"), cv::IMREAD_UNCHANGED);
        QCOMPARE(second.type(), CV_32FC3);
        const FramePtr frame = loadFrame(path("a.tif")); // libtiff
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> back = decodeRadiance(*frame, 1, ctx);
        for (int y = 0; y < 135; ++y)
            for (int x = 0; x < 67; ++x)
                for (int c = 0; c < 3; ++c) {
                    QCOMPARE(second.at<cv::Vec3f>(y, x)[2 - c], in.row(c, y)[x]);
                    QCOMPARE(back.row(c, y)[x], in.row(c, y)[x]);
                }
    }
    void hdrIsReadByOthersWithinItsSteps()
    {
        Image<float> in = test::rampScene(67, 45, 0.001, 16);
        in.row(0, 3)[4] = -0.25f;
        QCOMPARE(writeRadianceHdr(path("a.hdr"), in.view()), 1ll);
        const cv::Mat got = cv::imread(path("a.hdr"), cv::IMREAD_UNCHANGED);
        QCOMPARE(got.type(), CV_32FC3);
        for (int y = 0; y < 45; ++y)
            for (int x = 0; x < 67; ++x)
                for (int c = 0; c < 3; ++c) {
                    const float most = std::max({in.row(0, y)[x], in.row(1, y)[x], in.row(2, y)[x]});
                    const float want = std::max(0.0f, in.row(c, y)[x]);
                    // One shared exponent: a step is 1/128 of the largest channel's power of two at most.
                    QVERIFY(std::abs(got.at<cv::Vec3f>(y, x)[2 - c] - want) <= most / 127.0f);
                }
        // RGBE of (1, 1, 1) is 128 128 128 129 (Radiance file format).
        writeRadianceHdr(path("one.hdr"), test::flat(1, 1, 1, 1, 1).view());
        QVERIFY(test::bytesOf(dir_.filePath("one.hdr")).endsWith(QByteArray("\x80\x80\x80\x81", 4)));
    }
    void damagedExrIsAnError()
    {
        writeExr(path("b.exr"), test::rampScene(64, 64, 0.1, 3).view(), {});
        const QByteArray bytes = test::bytesOf(dir_.filePath("b.exr"));
        for (qint64 length : {qint64(0), qint64(10), qint64(200), bytes.size() / 2}) {
            test::writeBytes(dir_.filePath("cut.exr"), bytes.first(length));
            QVERIFY_THROWS_EXCEPTION(InputError, readExr(path("cut.exr")));
        }
    }
    void badShapesAreRefused()
    {
        QVERIFY_THROWS_EXCEPTION(ArgumentError, writeExr(path("x.exr"), Image<float>(4, 4, 1).view(), {}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, writeRadianceHdr(path("x.hdr"), Image<float>().view()));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, writeJpeg(path("x.jpg"), 4, 4, 0, {}, [](int, auto) {}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, writeTiff(path("x.tif"), 0, 4, {}, [](int, auto) {}));
    }
    void atomicFileIsCompleteOrAbsent()
    {
        const QDir folder(dir_.filePath("atomic"));
        QVERIFY(folder.mkpath("."));
        const std::string target = folder.filePath("out.bin").toStdString();
        const auto names = [&] { return folder.entryList(QDir::Files | QDir::Hidden); };
        {
            const AtomicFile file(target);
            test::writeBytes(QString::fromStdString(file.temporaryPath()), "half");
            QVERIFY(!folder.exists("out.bin"));
        }
        QCOMPARE(names().size(), 0); // not committed: nothing stays
        test::writeBytes(folder.filePath("out.bin"), "old");
        QVERIFY_THROWS_EXCEPTION(OutputError, writeAtomically(target, [](const std::string &temporary) {
                                     throw OutputError(temporary, "disk full");
                                 }));
        QCOMPARE(test::bytesOf(folder.filePath("out.bin")), QByteArray("old"));
        QCOMPARE(names().size(), 1);
        writeAtomically(
            target, [](const std::string &temporary) { test::writeBytes(QString::fromStdString(temporary), "new"); });
        QCOMPARE(test::bytesOf(folder.filePath("out.bin")), QByteArray("new"));
        QCOMPARE(names(), QStringList{"out.bin"});
        try {
            writeAtomically(target, [](const std::string &temporary) { throw OutputError(temporary, "disk full"); });
            QFAIL("no error");
        } catch (const OutputError &e) {
            QCOMPARE(std::string(e.what()), target + ": disk full"); // not the temporary name
        }
    }
    void aHeldPathOutlivesTheFile()
    {
        const QDir folder(dir_.filePath("held"));
        QVERIFY(folder.mkpath("."));
        std::shared_ptr<const std::string> held;
        {
            const AtomicFile file(folder.filePath("out.bin").toStdString());
            test::writeBytes(QString::fromStdString(file.temporaryPath()), "half");
            held = heldPath(file.temporaryPath());
            QCOMPARE(bool(held), file.temporaryPath().starts_with("/proc/")); // else it has a name
        }
        if (!held)
            QSKIP("this file system knows no files without names");
        const AtomicFile other(folder.filePath("other.bin").toStdString()); // may get the number that was freed
        test::writeBytes(QString::fromStdString(other.temporaryPath()), "other");
        QCOMPARE(test::bytesOf(QString::fromStdString(*held)), QByteArray("half"));
        test::writeBytes(QString::fromStdString(*held), "more"); // by whoever was left with it
        QCOMPARE(test::bytesOf(QString::fromStdString(other.temporaryPath())), QByteArray("other"));
        QVERIFY(folder.entryList(QDir::Files | QDir::Hidden).isEmpty());
        QVERIFY(!heldPath(path("frame.jpg")));
    }
    void aNewFileHasNoOtherName()
    {
        const QDir folder(dir_.filePath("names"));
        QVERIFY(folder.mkpath("."));
        const std::string target = folder.filePath("out.bin").toStdString();
        if (!heldPath(AtomicFile(target).temporaryPath()))
            QSKIP("this file system knows no files without names");
        const int watch = inotify_init1(IN_NONBLOCK | IN_CLOEXEC);
        QVERIFY(watch >= 0);
        const auto closed = qScopeGuard([watch] { close(watch); });
        QVERIFY(inotify_add_watch(watch, folder.path().toLocal8Bit().constData(), IN_CREATE | IN_MOVE | IN_DELETE) >=
                0);
        const auto namesSeen = [watch] {
            QStringList out;
            alignas(inotify_event) char events[4096];
            const ssize_t length = read(watch, events, sizeof events);
            for (ssize_t at = 0; at < length;) {
                const auto *event = reinterpret_cast<const inotify_event *>(events + at);
                out += QString::fromLocal8Bit(event->name);
                at += ssize_t(sizeof *event) + event->len;
            }
            return out;
        };
        writeTextAtomically(target, "one");
        QCOMPARE(namesSeen(), QStringList{"out.bin"}); // killed at any moment: whole or absent, and nothing beside it
        writeTextAtomically(target, "two");
        const QStringList replacing = namesSeen();
        QCOMPARE(replacing.size(), 3); // made, renamed from, renamed to
        QVERIFY(replacing[0].startsWith(".out.") && replacing[1] == replacing[0] && replacing[2] == "out.bin");
        QCOMPARE(test::bytesOf(folder.filePath("out.bin")), QByteArray("two"));
    }
    void placesThatCannotBeWritten()
    {
        QVERIFY_THROWS_EXCEPTION(OutputError, AtomicFile(path("no/such/folder/x.tif")));
        QVERIFY_THROWS_EXCEPTION(OutputError, AtomicFile(dir_.path().toStdString()));
    }
    void metadataIsReadAndCarriedOver()
    {
        const demo::Shot shot = test::shotAt(-2, 1.0, 1);
        demo::writeFrame(path("frame.jpg"), test::flat(32, 32, 0.2f, 0.2f, 0.2f).view(), shot, demo::FrameFile::Jpeg);
        const Metadata read = readMetadata(path("frame.jpg"));
        QCOMPARE(read.exposureSeconds.value_or(0), 1.0 / 128.0);
        QCOMPARE(read.fNumber.value_or(0), 8.0);
        QCOMPARE(read.iso.value_or(0), 100.0);
        QCOMPARE(read.camera, std::string("Coop Pinhole 1"));
        for (const char *name : {"out.jpg", "out.tif"}) {
            if (std::string(name).ends_with("jpg"))
                writeJpeg(path(name), 16, 8, 90, {},
                          [](int, std::span<uint8_t> row) { std::ranges::fill(row, uint8_t(9)); });
            else
                writeTiff(path(name), 16, 8, {},
                          [](int, std::span<uint16_t> row) { std::ranges::fill(row, uint16_t(999)); });
            copyMetadata(path("frame.jpg"), path(name), {16, 8, "Yolk test"});
            const Metadata back = readMetadata(path(name));
            QCOMPARE(back, read);
            const auto image = Exiv2::ImageFactory::open(path(name));
            image->readMetadata();
            QCOMPARE(image->exifData()["Exif.Image.Software"].toString(), std::string("Yolk test"));
            QCOMPARE(image->exifData()["Exif.Photo.PixelXDimension"].toString(), std::string("16"));
            const cv::Mat pixels = cv::imread(path(name), cv::IMREAD_UNCHANGED);
            QCOMPARE(pixels.size(), cv::Size(16, 8));
            QCOMPARE(int(pixels.depth() == CV_16U ? pixels.at<cv::Vec3w>(7, 15)[0] : pixels.at<cv::Vec3b>(7, 15)[0]),
                     pixels.depth() == CV_16U ? 999 : 9);
        }
    }
    void senselessMetadataIsEmpty()
    {
        demo::writeFrame(path("odd.jpg"), test::flat(8, 8, 0, 0, 0).view(), {}, demo::FrameFile::Jpeg);
        const auto image = Exiv2::ImageFactory::open(path("odd.jpg"));
        image->readMetadata();
        image->exifData()["Exif.Photo.ExposureTime"] = Exiv2::Rational(1, 0);
        image->exifData()["Exif.Photo.FNumber"] = Exiv2::Rational(0, 0);
        image->exifData()["Exif.Image.Orientation"] = uint16_t(77);
        image->writeMetadata();
        const Metadata read = readMetadata(path("odd.jpg"));
        QVERIFY(!read.exposureSeconds && !read.fNumber);
        QCOMPARE(read.orientation(), Orientation::Upright);
        QCOMPARE(readMetadata(path("none.jpg")), Metadata{});
    }
};

QTEST_GUILESS_MAIN(TestOutputFiles)
#include "tst_output_files.moc"
