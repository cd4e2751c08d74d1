// Finished files of every format, read back by their own library and by a second one where there is one.
#include "base/errors.h"
#include "colour/transfer.h"
#include "frames/frame.h"
#include "io/codec.h"
#include "io/radiance_file.h"
#include "render/files/output.h"
#include "render/files/output_sharpening.h"
#include "render/files/radiance_export.h"
#include "render/render.h"
#include "render/set/stage_cache.h"
#include "render/views/returned.h"
#include "support/compare.h"
#include "support/synthetic.h"
#include "tone/unfold.h"

#include <avif/avif.h>
#include <exiv2/exiv2.hpp>
#include <libheif/heif.h>
#include <opencv2/imgcodecs.hpp>
#include <tiffio.h>

#include <QDir>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <numeric>

using namespace yolk;

Q_DECLARE_METATYPE(yolk::PictureFormat)

namespace {

constexpr int kWidth = 301, kHeight = 203;

/// Interleaved R, G, B as shares of the largest code.
struct Codes {
    int width = 0, height = 0;
    std::vector<double> rgb;
};

Codes byOpenCv(const std::string &path)
{
    const cv::Mat m = cv::imread(path, cv::IMREAD_UNCHANGED | cv::IMREAD_IGNORE_ORIENTATION);
    Codes out{m.cols, m.rows, {}};
    for (int y = 0; y < m.rows; ++y)
        for (int x = 0; x < m.cols; ++x)
            for (int c = 2; c >= 0; --c) // blue comes first
                out.rgb.push_back(m.depth() == CV_8U    ? m.ptr<uint8_t>(y)[x * m.channels() + c] / 255.0
                                  : m.depth() == CV_16U ? m.ptr<uint16_t>(y)[x * m.channels() + c] / 65535.0
                                                        : double(m.ptr<float>(y)[x * m.channels() + c]));
    return out;
}

/// By our own way in: for AVIF another library than the one that wrote it, for JPEG XL the same one's decoder.
Codes byCodec(const std::string &path)
{
    const Codec &codec = codecOf(path);
    const PictureInfo info = codec.readInfo(path);
    Codes out{info.width, info.height, {}};
    SerialRunner serial;
    ExecContext ctx(serial);
    codec.readRows(
        path, 1, {},
        [&](int, const CodedRow &row) {
            for (const uint8_t v : row.eight)
                out.rgb.push_back(v / 255.0);
            for (const uint16_t v : row.sixteen)
                out.rgb.push_back(v / 65535.0);
            for (const float v : row.real)
                out.rgb.push_back(double(v));
        },
        ctx);
    return out;
}

/// By libavif itself.
Codes byLibavif(const std::string &path)
{
    const std::unique_ptr<avifDecoder, void (*)(avifDecoder *)> decoder(avifDecoderCreate(), &avifDecoderDestroy);
    const std::unique_ptr<avifImage, void (*)(avifImage *)> image(avifImageCreateEmpty(), &avifImageDestroy);
    if (avifDecoderReadFile(decoder.get(), image.get(), path.c_str()) != AVIF_RESULT_OK)
        return {};
    avifRGBImage rgb;
    avifRGBImageSetDefaults(&rgb, image.get());
    rgb.format = AVIF_RGB_FORMAT_RGB;
    rgb.depth = image->depth > 8 ? 16 : 8;
    avifRGBImageAllocatePixels(&rgb);
    avifImageYUVToRGB(image.get(), &rgb);
    Codes out{int(image->width), int(image->height), {}};
    for (uint32_t y = 0; y < rgb.height; ++y)
        for (uint32_t i = 0; i < rgb.width * 3; ++i)
            out.rgb.push_back(rgb.depth == 8
                                  ? rgb.pixels[y * rgb.rowBytes + i] / 255.0
                                  : reinterpret_cast<uint16_t *>(rgb.pixels + y * rgb.rowBytes)[i] / 65535.0);
    avifRGBImageFreePixels(&rgb);
    return out;
}

Sources open(const QStringList &paths)
{
    Sources out{{}, std::make_shared<StageCache>(size_t(1) << 30)};
    for (const QString &p : paths)
        out.frames.push_back(loadFrame(p.toStdString()));
    return out;
}

double percentile(std::vector<double> values, double share)
{
    if (values.empty())
        return 0.0;
    std::ranges::sort(values);
    return values[size_t(share * double(values.size() - 1))];
}

} // namespace

class TestDeliver : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList paths_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;

    std::string at(const char *name) const { return dir_.filePath(QString::fromLatin1(name)).toStdString(); }
    PictureReport write(const Recipe &recipe, const std::string &path, int rating = 0)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return exportPicture(sources_, recipe, measured_, {path, 0, 0, rating}, ctx);
    }
    Image<float> picture(const OutputLight &light)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const RenderPlan plan(sources_, measured_, recipe_);
        return render(plan, light, {1, realOf(Rect{0, 0, kWidth, kHeight}), kWidth, kHeight, true}, ctx);
    }
    static OutputLight hdrIn(OutputSpace space, const ExportSettings &s = {})
    {
        return {space, HdrLights{s.lightsBegin / 100.0, s.peak / kHdrWhite}};
    }
    /// The worst difference of codes, in units of 1 / top.
    static double worst(const Codes &got, const Image<float> &want, Transfer transfer, double scale, double top)
    {
        if (got.width != want.width() || got.height != want.height() ||
            got.rgb.size() != size_t(got.width) * size_t(got.height) * 3)
            return 1e9;
        double out = 0.0;
        for (int y = 0; y < want.height(); ++y)
            for (int x = 0; x < want.width(); ++x)
                for (int c = 0; c < 3; ++c) {
                    const double code = std::clamp(encodeLight(transfer, double(want.row(c, y)[x]) * scale), 0.0, 1.0);
                    out = std::max(out, std::abs(got.rgb[size_t(3 * (y * want.width() + x) + c)] - code) * top);
                }
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("OPENCV_IO_ENABLE_OPENEXR", "1");
        paths_ =
            test::writeBracket(dir_.path(), test::rampScene(kWidth, kHeight, 0.002, 13).view(), {-4, -2, 0, 2}, 1.0);
        sources_ = open(paths_);
        ThreadRunner runner;
        ExecContext ctx(runner);
        measured_ = analyse(sources_, recipe_, ctx);
        recipe_.tone = automaticTone(measured_.tone);
    }

    void everyFormatHoldsThePicture_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("depth");
        QTest::addColumn<int>("space");
        QTest::addColumn<double>("most"); // differences in steps of the depth
        const auto row = [](const char *name, int depth, OutputSpace space, double most) {
            QTest::addRow("%s %d %d", name, depth, int(space)) << name << depth << int(space) << most;
        };
        // Dither takes either neighbour; rounding half a step; 16 bits of the coder are good to an eighth more.
        for (const char *name : {"p.tif", "p.png"}) {
            row(name, 8, OutputSpace::Srgb, 1.01);
            row(name, 16, OutputSpace::OpRgb, 0.65);
            row(name, 16, OutputSpace::Romm, 0.65);
        }
        row("p.tif", 16, OutputSpace::Srgb, 0.65);
        row("p.tif", 16, OutputSpace::DisplayP3, 0.65);
        row("p.avif", 8, OutputSpace::Srgb, 1.01);
        row("p.avif", 10, OutputSpace::DisplayP3, 0.6);
        row("p.avif", 12, OutputSpace::Rec2020, 0.6);
        row("p.jxl", 8, OutputSpace::Srgb, 1.01);
        row("p.jxl", 10, OutputSpace::DisplayP3, 0.6);
        row("p.jxl", 12, OutputSpace::OpRgb, 0.6);
        row("p.jxl", 16, OutputSpace::Rec2020, 0.65);
    }
    void everyFormatHoldsThePicture()
    {
        QFETCH(QString, name);
        QFETCH(int, depth);
        QFETCH(int, space);
        QFETCH(double, most);
        Recipe recipe = recipe_;
        recipe.output.depth = FileDepth(depth);
        recipe.output.space = OutputSpace(space);
        recipe.output.quality = 100.0;
        const std::string path = at(name.toLatin1());
        const PictureReport report = write(recipe, path, 4);
        QCOMPARE(report.bits, depth);
        QCOMPARE(report.width, kWidth);
        const Image<float> want = picture(OutputSpace(space));
        const double top = double((1 << depth) - 1);
        const Transfer transfer = transferOf(OutputSpace(space));
        const double own = worst(byCodec(path), want, transfer, 1.0, top);
        QVERIFY2(own <= most, qPrintable(QString::number(own)));
        if (name.endsWith("avif"))
            QVERIFY(worst(byLibavif(path), want, transfer, 1.0, top) <= most);
        if (!name.endsWith("avif") && !name.endsWith("jxl"))
            QVERIFY(worst(byOpenCv(path), want, transfer, 1.0, top) <= most);
        // What it says of itself.
        const CodeValues codes = codeValuesOf(codecOf(path).readInfo(path).profile);
        const Matrix3 matrix = rgbToRgb(primariesOf(OutputSpace(space)), kRec2020);
        QVERIFY(!codes.assumed);
        for (size_t i = 0; i < 9; ++i)
            QVERIFY(std::abs(codes.toRec2020.m[i] - matrix.m[i]) < 2e-3);
        const double code = encodeLight(transfer, 0.2);
        const double decoded = double(codes.curves[1][size_t(std::lround(code * 4095.0))]);
        QVERIFY2(std::abs(decoded - 0.2) < 2e-4, qPrintable(QString::number(decoded)));
        const auto image = Exiv2::ImageFactory::open(path);
        image->readMetadata();
        QCOMPARE(image->exifData()["Exif.Image.Model"].toString(), std::string("Coop Pinhole 1"));
        QCOMPARE(image->exifData()["Exif.Image.Software"].toString(), std::string("Yolk 0.1"));
        QCOMPARE(image->xmpData()["Xmp.xmp.Rating"].toString(), std::string("4"));
    }

    void jpegComesNear()
    {
        // Dither takes half a code in the mean at most, and the coding as much again, or a code at 95.
        for (const auto &[quality, mean] : {std::pair{100.0, 1.0}, std::pair{95.0, 1.5}}) {
            Recipe recipe = recipe_;
            recipe.output.quality = quality;
            write(recipe, at("p.jpg"));
            const Codes got = byOpenCv(at("p.jpg"));
            const Image<float> want = picture(OutputSpace::Srgb);
            double sum = 0.0;
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    for (int c = 0; c < 3; ++c)
                        sum += std::abs(got.rgb[size_t(3 * (y * kWidth + x) + c)] -
                                        encodeSrgb(double(want.row(c, y)[x]))) *
                               255.0;
            sum /= 3.0 * kWidth * kHeight;
            QVERIFY2(sum < mean, qPrintable(QString::number(sum)));
        }
    }

    void linearFormatsHoldTheLight()
    {
        Recipe recipe = recipe_;
        recipe.output.light = ExportLight::Hdr;
        const Image<float> bright = picture(hdrIn(OutputSpace::Srgb, recipe.output));
        recipe.output.depth = FileDepth::Float;
        for (const char *name : {"l.tif", "l.exr"}) {
            QCOMPARE(write(recipe, at(name)).bits, 32);
            QCOMPARE(worst(byOpenCv(at(name)), bright, Transfer::Linear, 1.0, 0.0), 0.0); // its size
            const Codes got = byOpenCv(at(name));
            double most = 0.0;
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    for (int c = 0; c < 3; ++c) {
                        QCOMPARE(float(got.rgb[size_t(3 * (y * kWidth + x) + c)]), bright.row(c, y)[x]);
                        most = std::max(most, got.rgb[size_t(3 * (y * kWidth + x) + c)]);
                    }
            QVERIFY2(most > 1.5, qPrintable(QString::number(most))); // there is light above white
        }
        write(recipe, at("l.hdr"));
        const Codes hdr = byOpenCv(at("l.hdr"));
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                for (int c = 0; c < 3; ++c) {
                    const float high = std::max({bright.row(0, y)[x], bright.row(1, y)[x], bright.row(2, y)[x]});
                    QVERIFY(std::abs(hdr.rgb[size_t(3 * (y * kWidth + x) + c)] - double(bright.row(c, y)[x])) <=
                            double(high) / 127.0); // a step of the shared exponent
                }
    }

    void pqIsThatOfTheStandard()
    {
        // Code values of luminances, SMPTE ST 2084 as tabled in ITU-R BT.2408 (58 % for 203 cd/m2, 75 % for 1000) and
        // ITU-R BT.2100's ends.
        QVERIFY(std::abs(encodePq(203.0 / 10000.0) - 0.58) < 0.002);
        QVERIFY(std::abs(encodePq(1000.0 / 10000.0) - 0.75) < 0.003);
        QCOMPARE(encodePq(1.0), 1.0);
        QVERIFY(encodePq(0.0) < 1e-6);
        for (double code = 0.01; code <= 1.0; code += 0.01)
            QVERIFY(std::abs(encodePq(decodePq(code)) - code) < 1e-9);
        Recipe recipe = recipe_;
        recipe.output.light = ExportLight::Hdr;
        recipe.output.quality = 100.0;
        recipe.output.depth = FileDepth::Twelve;
        const PictureReport report = write(recipe, at("pq.avif"));
        QCOMPARE(report.bits, 12);
        const Image<float> bright = picture(hdrIn(OutputSpace::Rec2020, recipe.output));
        const double off = worst(byLibavif(at("pq.avif")), bright, Transfer::Pq, 203.0 / 10000.0, 4095.0);
        QVERIFY2(off <= 0.6, qPrintable(QString::number(off)));
        const std::unique_ptr<avifDecoder, void (*)(avifDecoder *)> decoder(avifDecoderCreate(), &avifDecoderDestroy);
        const std::unique_ptr<avifImage, void (*)(avifImage *)> image(avifImageCreateEmpty(), &avifImageDestroy);
        QCOMPARE(avifDecoderReadFile(decoder.get(), image.get(), at("pq.avif").c_str()), AVIF_RESULT_OK);
        QCOMPARE(int(image->colorPrimaries), 9);           // ITU-T H.273 table 2: BT.2020
        QCOMPARE(int(image->transferCharacteristics), 16); // table 3: PQ
        write(recipe, at("pq.jxl"));
        // Such files are finished: nobody merges them.
        for (const char *name : {"pq.avif", "pq.jxl"})
            QVERIFY_THROWS_EXCEPTION(InputError, loadFrame(at(name)));
    }

    void lightsAreEqualBelowAndMonotoneAbove()
    {
        const Image<float> standard = picture(OutputSpace::Srgb), bright = picture(hdrIn(OutputSpace::Srgb));
        int below = 0, above = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double light = 0.2126 * double(standard.row(0, y)[x]) + 0.7152 * double(standard.row(1, y)[x]) +
                                     0.0722 * double(standard.row(2, y)[x]);
                for (int c = 0; c < 3; ++c) {
                    if (light < 0.5) {
                        QCOMPARE(bright.row(c, y)[x], standard.row(c, y)[x]);
                        ++below;
                    } else if (light > 0.7) {
                        QVERIFY(bright.row(c, y)[x] > standard.row(c, y)[x]);
                        ++above;
                    }
                }
            }
        QVERIFY(below > 1000 && above > 1000);
        for (const ToneMethod method : {ToneMethod::Plain, ToneMethod::Global, ToneMethod::Local})
            for (const BrightEnd end : {BrightEnd::Clip, BrightEnd::Roll}) {
                ToneSettings settings;
                settings.method = method;
                settings.brightEnd = end;
                const HdrLights lights;
                const Unfold unfold(settings, lights);
                double last = 0.0, lastSlope = 1.0;
                for (int i = 1; i < 1000; ++i) {
                    const double d = i / 1000.0, h = unfold(d), slope = (h - last) * 1000.0;
                    QVERIFY(h >= d - 1e-12 && h > last - 1e-12 && h <= lights.peak + 1e-9);
                    if (d <= lights.begin)
                        QCOMPARE(h, d);
                    if (std::abs(d - lights.begin) < 0.01)
                        QVERIFY(std::abs(slope - lastSlope) < 0.1); // no kink where they begin
                    last = h;
                    lastSlope = slope;
                }
            }
        QVERIFY_THROWS_EXCEPTION(ArgumentError, Unfold({}, {1.2, 4.0}));
    }

    void gainMapGivesTheHdrPicture()
    {
        Recipe recipe = recipe_;
        recipe.output.quality = 95.0;
        write(recipe, at("plain.jpg"));
        recipe.output.light = ExportLight::Hdr;
        write(recipe, at("both.jpg"));
        const Codes plain = byOpenCv(at("plain.jpg")), base = byOpenCv(at("both.jpg"));
        for (size_t i = 0; i < plain.rgb.size(); ++i)
            QVERIFY(std::abs(plain.rgb[i] - base.rgb[i]) * 255.0 <= 1.0);

        // The second picture by the index of pictures (CIPA DC-007), and by the directory in XMP.
        const QByteArray all = test::bytesOf(QString::fromStdString(at("both.jpg")));
        const qsizetype index = all.indexOf(QByteArray("MPF\0", 4)) + 4;
        QVERIFY(index > 4);
        const auto u32 = [&](qsizetype i) {
            return quint32(uchar(all[i])) << 24 | quint32(uchar(all[i + 1])) << 16 | quint32(uchar(all[i + 2])) << 8 |
                   quint32(uchar(all[i + 3]));
        };
        const qsizetype list = index + 50; // behind mark, directory of three entries and the next one's place
        const qsizetype firstSize = u32(list + 4), size = u32(list + 20), offset = index + u32(list + 24);
        QCOMPARE(firstSize, offset);
        QCOMPARE(offset + size, all.size());
        const QByteArray map = all.mid(offset, size);
        QVERIFY(map.startsWith("\xFF\xD8\xFF"));
        QVERIFY(all.left(offset).contains("Item:Length=\"" + QByteArray::number(size) + "\"") ||
                all.left(offset).contains(QByteArray::number(size)));

        // Its numbers by ISO 21496-1, from the binary form.
        const QByteArray name("urn:iso:std:iso:ts:21496:-1\0", 28);
        QVERIFY(all.left(offset).contains(name));
        const qsizetype iso = map.indexOf(name) + name.size();
        QVERIFY(iso > name.size());
        const auto m32 = [&](qsizetype i) {
            return qint32(quint32(uchar(map[i])) << 24 | quint32(uchar(map[i + 1])) << 16 |
                          quint32(uchar(map[i + 2])) << 8 | quint32(uchar(map[i + 3])));
        };
        const auto fraction = [&](qsizetype i) { return double(m32(i)) / double(quint32(m32(i + 4))); };
        const qsizetype numbers = iso + 5; // versions and flags
        QVERIFY(std::abs(fraction(numbers + 8) - std::log2(1000.0 / 203.0)) < 1e-5);
        test::writeBytes(QString::fromStdString(at("map.jpg")), map);
        const Codes gains = byOpenCv(at("map.jpg"));
        QCOMPARE(gains.rgb.size(), base.rgb.size());
        const Image<float> bright = picture(hdrIn(OutputSpace::Srgb, recipe.output));
        std::vector<double> off;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                for (int c = 0; c < 3; ++c) {
                    const size_t i = size_t(3 * (y * kWidth + x) + c);
                    const qsizetype channel = numbers + 16 + 40 * c;
                    const double least = fraction(channel), most = fraction(channel + 8),
                                 gamma = fraction(channel + 16), offsetBase = fraction(channel + 24),
                                 offsetOther = fraction(channel + 32);
                    const double gain = least + (most - least) * std::pow(gains.rgb[i], 1.0 / gamma);
                    const double hdr = (decodeSrgb(base.rgb[i]) + offsetBase) * std::exp2(gain) - offsetOther;
                    if (bright.row(c, y)[x] > 0.55f)
                        off.push_back(std::abs(hdr / double(bright.row(c, y)[x]) - 1.0));
                }
        QVERIFY(off.size() > 5000);
        const double median = percentile(off, 0.5), p95 = percentile(off, 0.95);
        qInfo("gain map: median %.4f, 95 of 100 %.4f, most %.4f", median, p95, percentile(off, 1.0));
        QVERIFY2(p95 <= 0.02, qPrintable(QString("%1 %2").arg(median).arg(p95)));
        const auto image = Exiv2::ImageFactory::open(at("both.jpg"));
        image->readMetadata();
        QVERIFY(image->xmpPacket().find("hdrgm") != std::string::npos || all.contains("hdr-gain-map"));
    }

    void whatCannotBeIsRefused()
    {
        Recipe recipe = recipe_;
        recipe.output.light = ExportLight::Hdr;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, write(recipe, at("x.png")));
        recipe.output.space = OutputSpace::Profile;
        recipe.output.profile = at("none.icc");
        QVERIFY_THROWS_EXCEPTION(ArgumentError, write(recipe, at("x.jpg"))); // HDR through a profile
        recipe.output.light = ExportLight::Standard;
        QVERIFY_THROWS_EXCEPTION(InputError, write(recipe, at("x.jpg")));
        test::writeBytes(QString::fromStdString(at("broken.icc")), "no profile");
        recipe.output.profile = at("broken.icc");
        QVERIFY_THROWS_EXCEPTION(InputError, write(recipe, at("x.jpg")));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, write(recipe_, at("x.bmp")));
        for (const char *name : {"x.png", "x.jpg", "x.bmp"})
            QVERIFY(!QFile::exists(QString::fromStdString(at(name))));
    }

    void aProfileFromAFile()
    {
        // One of our own as a file: the same codes as when it is chosen by name.
        const std::vector<std::byte> profile = iccProfile(OutputSpace::DisplayP3);
        test::writeBytes(QString::fromStdString(at("p3.icc")),
                         QByteArray(reinterpret_cast<const char *>(profile.data()), qsizetype(profile.size())));
        Recipe recipe = recipe_;
        recipe.output.space = OutputSpace::DisplayP3;
        write(recipe, at("named.tif"));
        recipe.output.space = OutputSpace::Profile;
        recipe.output.profile = at("p3.icc");
        write(recipe, at("filed.tif"));
        QVERIFY(codecOf(at("filed.tif")).readInfo(at("filed.tif")).profile == profile);
        const Codes named = byCodec(at("named.tif")), filed = byCodec(at("filed.tif"));
        std::vector<double> off;
        for (size_t i = 0; i < named.rgb.size(); ++i)
            off.push_back(std::abs(named.rgb[i] - filed.rgb[i]));
        // Colours end softly in P3 in one, in Rec. 2020 in the other: the lights differ a little.
        QVERIFY2(percentile(off, 0.5) < 0.002 && percentile(off, 0.95) < 0.02,
                 qPrintable(QString("%1 %2").arg(percentile(off, 0.5)).arg(percentile(off, 0.95))));
    }

    void sizes()
    {
        ExportSettings s;
        const auto size = [&](SizeBy by) {
            s.sizeBy = by;
            const Shape shape = sizeUnder(s, 600, 400);
            return QSize(shape.width, shape.height);
        };
        s.pixels = 300;
        s.megapixels = 0.06;
        s.percent = 25;
        QCOMPARE(size(SizeBy::Full), QSize(600, 400));
        QCOMPARE(size(SizeBy::LongEdge), QSize(300, 200));
        QCOMPARE(size(SizeBy::Width), QSize(300, 200));
        QCOMPARE(size(SizeBy::Height), QSize(450, 300));
        QCOMPARE(size(SizeBy::Megapixels), QSize(300, 200));
        QCOMPARE(size(SizeBy::Percent), QSize(150, 100));
        s.pixels = 5000; // never larger
        QCOMPARE(size(SizeBy::LongEdge), QSize(600, 400));
        QCOMPARE(depthFor(PictureFormat::Tiff, 0), 16);
        QCOMPARE(depthFor(PictureFormat::Tiff, 12), 16);
        QCOMPARE(depthFor(PictureFormat::Jpeg, 16), 8);
        QCOMPARE(depthFor(PictureFormat::Avif, 32), 12);
    }

    void aFileThatMayBeSoLarge()
    {
        Recipe recipe = recipe_;
        recipe.output.quality = 98.0;
        const long long whole = write(recipe, at("size.jpg")).bytes;
        recipe.output.mostKilobytes = double(whole) * 0.6 / 1000.0;
        const PictureReport report = write(recipe, at("size.jpg"));
        QVERIFY(report.quality < 98 && report.quality >= 5);
        QVERIFY(double(report.bytes) <= recipe.output.mostKilobytes * 1000.0);
        QCOMPARE(QFileInfo(QString::fromStdString(at("size.jpg"))).size(), report.bytes);
        Recipe next = recipe; // one better would be too large
        next.output.mostKilobytes = 0.0;
        next.output.quality = report.quality + 1;
        QVERIFY(double(write(next, at("size.jpg")).bytes) > recipe.output.mostKilobytes * 1000.0);
        recipe.output.mostKilobytes = 1.0;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, write(recipe, at("tiny.jpg")));
        QVERIFY(!QFile::exists(QString::fromStdString(at("tiny.jpg"))));
    }

    void wordsAndPlaces()
    {
        { // a place on the reference frame
            for (const QString &p : paths_) {
                const auto image = Exiv2::ImageFactory::open(p.toStdString());
                image->readMetadata();
                image->exifData()["Exif.GPSInfo.GPSLatitudeRef"] = "N";
                image->exifData()["Exif.GPSInfo.GPSLatitude"] = "10/1 20/1 30/1";
                image->writeMetadata();
            }
            sources_ = open(paths_);
        }
        const auto exif = [&](const std::string &path) {
            const auto image = Exiv2::ImageFactory::open(path);
            image->readMetadata();
            return std::pair(image->exifData(), image->xmpData());
        };
        const auto has = [](const Exiv2::ExifData &data, const char *key) {
            return data.findKey(Exiv2::ExifKey(key)) != data.end();
        };
        Recipe recipe = recipe_;
        recipe.output.copyright = "© Somebody";
        recipe.output.caption = "Hens at dusk";
        recipe.output.pixelsPerInch = 240.0;
        for (const char *name : {"w.jpg", "w.tif", "w.png", "w.avif", "w.jxl"}) {
            for (const KeptMetadata kept : {KeptMetadata::All, KeptMetadata::NoPlace, KeptMetadata::None}) {
                recipe.output.metadata = kept;
                write(recipe, at(name));
                const auto [data, xmp] = exif(at(name));
                for (const char *key : {"Exif.Image.Copyright", "Exif.Image.XResolution"})
                    QVERIFY2(has(data, key), qPrintable(QString("%1 %2").arg(name, key)));
                for (const char *key : {"Xmp.dc.rights", "Xmp.dc.description"})
                    QVERIFY2(xmp.findKey(Exiv2::XmpKey(key)) != xmp.end(), qPrintable(QString("%1 %2").arg(name, key)));
                QCOMPARE(has(data, "Exif.GPSInfo.GPSLatitude"), kept == KeptMetadata::All);
                QCOMPARE(has(data, "Exif.Photo.FNumber"), kept != KeptMetadata::None);
                QCOMPARE(data.findKey(Exiv2::ExifKey("Exif.Image.Copyright"))->toString(), std::string("? Somebody"));
                QCOMPARE(xmp.findKey(Exiv2::XmpKey("Xmp.dc.rights"))->toString(),
                         std::string("lang=\"x-default\" © Somebody"));
                QCOMPARE(xmp.findKey(Exiv2::XmpKey("Xmp.dc.description"))->toString(),
                         std::string("lang=\"x-default\" Hens at dusk"));
                QCOMPARE(data.findKey(Exiv2::ExifKey("Exif.Image.XResolution"))->toFloat(), 240.0f);
                QVERIFY(xmp.findKey(Exiv2::XmpKey("Xmp.xmp.Rating")) == xmp.end());
            }
        }
    }

    void sharpeningGivesBackWhatMakingSmallerTook()
    {
        // A sine of four pixels after a tent filter of factor 2 and sharpening has its height again, within 5 %; a step
        // stays within an eighth of its height; flat light stays what it is.
        const SharpeningStrength screen = sharpeningForScreen(2.0);
        QVERIFY(sharpeningForScreen(1.0).isNone());
        QVERIFY(sharpeningForPaper(300.0).sigma > sharpeningForPaper(150.0).sigma);
        SerialRunner serial;
        ExecContext ctx(serial);
        const auto sharpened = [&](const std::function<float(int)> &value) {
            Image<float> out(64, 16, 3);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < 16; ++y)
                    for (int x = 0; x < 64; ++x)
                        out.row(c, y)[x] = value(x);
            sharpenOutput(out, {0.2126, 0.7152, 0.0722}, screen, 1.0, ctx);
            return out;
        };
        constexpr double kTent = 0.8106; // sinc^2 at a quarter
        constexpr double kHeight01 = 0.05;
        const auto wave =
            sharpened([&](int x) { return float(0.4 + kHeight01 * kTent * std::sin(2.0 * M_PI * (x + 0.5) / 4.0)); });
        float low = 1.0f, high = 0.0f;
        for (int x = 16; x < 48; ++x) {
            low = std::min(low, wave.row(1, 8)[x]);
            high = std::max(high, wave.row(1, 8)[x]);
        }
        const double height = double(high - low) / (2.0 * kHeight01 * std::sin(M_PI / 4.0));
        QVERIFY2(std::abs(height - 1.0) < 0.05, qPrintable(QString::number(height)));
        const auto step = sharpened([](int x) { return x < 32 ? 0.2f : 0.6f; });
        const auto l = [](float v) { return std::cbrt(double(v)); };
        for (int x = 0; x < 64; ++x) {
            QVERIFY(l(step.row(1, 8)[x]) <= l(0.6f) + (l(0.6f) - l(0.2f)) / 8.0 + 1e-5);
            QVERIFY(l(step.row(1, 8)[x]) >= l(0.2f) - (l(0.6f) - l(0.2f)) / 8.0 - 1e-5);
        }
        QVERIFY(step.row(1, 8)[32] > 0.601f);
        QVERIFY(std::abs(step.row(1, 8)[4] - 0.2f) < 1e-5f);
    }

    void dngStandsAlone()
    {
        Recipe recipe = recipe_;
        recipe.radiance.space = RadianceSpace::Rec2020;
        ThreadRunner runner;
        ExecContext ctx(runner);
        const auto save = [&](const char *name, DngSamples samples) {
            recipe.radiance.dngSamples = samples;
            exportRadiance(sources_, recipe, measured_, at(name), ctx);
        };
        save("float.dng", DngSamples::Float);
        exportRadiance(sources_, recipe, measured_, at("same.exr"), ctx);
        const RadianceFile light = readExr(at("same.exr"));
        const std::unique_ptr<TIFF, void (*)(TIFF *)> tiff(TIFFOpen(at("float.dng").c_str(), "r"), &TIFFClose);
        QVERIFY(tiff != nullptr);
        const auto u16 = [&](uint32_t tag) {
            uint16_t v = 0;
            TIFFGetField(tiff.get(), tag, &v);
            return int(v);
        };
        QCOMPARE(u16(TIFFTAG_PHOTOMETRIC), 34892); // DNG 1.4: LinearRaw
        QCOMPARE(u16(TIFFTAG_SAMPLEFORMAT), int(SAMPLEFORMAT_IEEEFP));
        QCOMPARE(u16(TIFFTAG_BITSPERSAMPLE), 32);
        QCOMPARE(u16(TIFFTAG_COMPRESSION), 8);
        QCOMPARE(u16(TIFFTAG_PREDICTOR), 3);
        QCOMPARE(u16(TIFFTAG_CALIBRATIONILLUMINANT1), 21);
        uint8_t *version = nullptr;
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_DNGVERSION, &version) && version[0] == 1 && version[1] == 4);
        uint32_t count = 0;
        float *matrix = nullptr, *neutral = nullptr, *black = nullptr;
        float exposure = -99.0f;
        uint32_t *white = nullptr;
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_COLORMATRIX1, &count, &matrix) && count == 9);
        const Matrix3 fromXyz = inverse(rgbToXyz(kRec2020));
        for (size_t i = 0; i < 9; ++i)
            QVERIFY(std::abs(double(matrix[i]) - fromXyz.m[i]) < 1e-4);
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_ASSHOTNEUTRAL, &count, &neutral) && count == 3 && neutral[0] == 1.0f);
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_BASELINEEXPOSURE, &exposure));
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_BLACKLEVEL, &count, &black) && black[0] == 0.0f);
        QVERIFY(TIFFGetField(tiff.get(), TIFFTAG_WHITELEVEL, &count, &white) && white[0] == 1u);
        std::vector<float> row(size_t(kWidth) * 3);
        const double peak = std::exp2(double(exposure));
        QVERIFY(peak > 1.0); // the frames hold more than the anchor
        for (int y = 0; y < kHeight; ++y) {
            QVERIFY(TIFFReadScanline(tiff.get(), row.data(), uint32_t(y)) >= 0);
            for (int x = 0; x < kWidth; ++x)
                for (int c = 0; c < 3; ++c) {
                    const double want = std::max(0.0, double(light.rgb.row(c, y)[x]));
                    QVERIFY(std::abs(double(row[size_t(3 * x + c)]) * peak - want) <= 1e-5 * want + 1e-9);
                }
        }
        // It opens again as the radiance that it is.
        const FramePtr again = loadFrame(at("float.dng"));
        QVERIFY(again->isRadiance());
        const Image<float> back = decodeRadiance(*again, 1, ctx);
        const Matrix3 same = rgbToRgb(kRec2020, kRec2020);
        for (size_t i = 0; i < 9; ++i)
            QVERIFY(std::abs(again->codeValues.toRec2020.m[i] - same.m[i]) < 1e-3);
        for (int c = 0; c < 3; ++c)
            for (int x = 0; x < kWidth; ++x) {
                const float want = std::max(0.0f, light.rgb.row(c, 100)[x]);
                QVERIFY(std::abs(back.row(c, 100)[x] - want) <= 1e-5f * want + 1e-9f);
            }
        save("whole.dng", DngSamples::Whole);
        const FramePtr frame = loadFrame(at("whole.dng")); // by LibRaw
        QCOMPARE(QString::fromStdString(frame->format), QStringLiteral("raw"));
        QCOMPARE(frame->width, kWidth);
        const Image<uint16_t> codes = decodeFrame(*frame, 1, ctx);
        std::vector<double> off;
        for (int y = 10; y < kHeight - 10; ++y)
            for (int x = 10; x < kWidth - 10; ++x) {
                Vector3 rgb;
                for (int c = 0; c < 3; ++c)
                    rgb[size_t(c)] = (double(codes.row(c, y)[x]) - 1024.0) / (65535.0 - 1024.0);
                const Vector3 got = frame->codeValues.toRec2020 * rgb;
                for (int c = 0; c < 3; ++c) {
                    const double want = double(light.rgb.row(c, y)[x]) / peak;
                    if (want > 0.01 && want < 0.9)
                        off.push_back(std::abs(got[size_t(c)] / want - 1.0));
                }
            }
        QVERIFY(off.size() > 1000);
        QVERIFY2(
            percentile(off, 0.95) < 0.02,
            qPrintable(QString("%1 %2 of %3").arg(percentile(off, 0.5)).arg(percentile(off, 0.95)).arg(off.size())));
    }

    void aReturnedPictureStandsForAll()
    {
        write(recipe_, at("out.tif"));
        ThreadRunner runner;
        ExecContext ctx(runner);
        Recipe recipe = recipe_;
        {
            const RenderPlan plan(sources_, measured_, recipe_);
            recipe.returned = returnedAs(at("out.tif"), recipe_, plan, Handed::Picture);
        }
        QVERIFY(!isOutdated(recipe, Handed::Picture));
        const auto shown = [&](const Recipe &of) {
            return render(RenderPlan(sources_, measured_, of), OutputSpace::Srgb,
                          {1, realOf(Rect{20, 10, 120, 80}), 100, 70, true}, ctx);
        };
        const QByteArray same = test::firstDifference(shown(recipe).view(), shown(recipe_).view(), 2e-5, 1e-3);
        QVERIFY2(same.isEmpty(), same.constData());
        Recipe later = recipe;
        later.tone.exposure += 1.0;
        QVERIFY(isOutdated(later, Handed::Picture));
        QCOMPARE(test::firstDifference(shown(later).view(), shown(recipe).view(), 0.0, 0.0), QByteArray());
        Recipe written = recipe; // how it is written does not count
        written.output.quality = 50.0;
        QVERIFY(!isOutdated(written, Handed::Picture));
        QVERIFY(written.returned.of == recipe.returned.of);
        QFile::remove(QString::fromStdString(at("out.tif")));
        sources_ = open(paths_); // nothing kept
        QVERIFY_THROWS_EXCEPTION(InputError, shown(recipe));
    }

    void returnedLightStandsForTheMerge()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        Recipe recipe = recipe_;
        recipe.white.mode = WhiteMode::Own;
        recipe.white.temperature = 4200.0;
        recipe.lens.vignetting = 1.0;
        recipe.radiance.space = RadianceSpace::Ap1;
        const std::string file = at("handed.exr");
        exportRadiance(sources_, toHandOver(recipe, Handed::Light), measured_, file, ctx);
        const RadianceFile handed = readExr(file);
        const auto comesBack = [&](float factor, int byX) {
            Image<float> out({handed.rgb.width() * byX, handed.rgb.height() * byX, 3}, Fill::Anything);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < out.height(); ++y)
                    for (int x = 0; x < out.width(); ++x)
                        out.row(c, y)[x] = factor * handed.rgb.row(c, y / byX)[x / byX];
            writeExr(file, out.view(), handed.notes);
            Recipe back = recipe;
            back.returnedLight = returnedAs(file, recipe, RenderPlan(sources_, measured_, recipe), Handed::Light);
            return back;
        };
        const auto shown = [&](const Recipe &of, int reduction) {
            RenderRequest request;
            request.reduction = reduction;
            return sceneOf(RenderPlan(sources_, measured_, of), request, ctx);
        };
        const auto times = [](const Image<float> &image, float factor) {
            Image<float> out(image.shape(), Fill::Anything);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < image.height(); ++y)
                    for (int x = 0; x < image.width(); ++x)
                        out.row(c, y)[x] = factor * image.row(c, y)[x];
            return out;
        };
        // As it was, under white balance and rim of the recipe, at full size and reduced.
        const Recipe same = comesBack(1.0f, 1);
        QByteArray off = test::firstDifference(shown(same, 1)->view(), shown(recipe, 1)->view(), 1e-5, 1e-4);
        QVERIFY2(off.isEmpty(), off.constData());
        // Reduced frames are decoded anew, by means of codes.
        const auto apart = [](const Image<float> &a, const Image<float> &b) {
            std::vector<double> stops;
            for (int y = 0; y < a.height(); ++y)
                for (int x = 0; x < a.width(); ++x)
                    stops.push_back(std::log2(double(a.row(1, y)[x]) / double(b.row(1, y)[x])));
            return stops;
        };
        const auto isNear = [](const std::vector<double> &stops) {
            const std::array at{percentile(stops, 0.05), percentile(stops, 0.5), percentile(stops, 0.95)};
            const bool is = std::abs(at[1]) < 0.005 && at[2] - at[0] < 0.1;
            return is ? QByteArray() : QString("%1 %2 %3").arg(at[0]).arg(at[1]).arg(at[2]).toLatin1();
        };
        off = isNear(apart(*shown(same, 2), *shown(recipe, 2)));
        QVERIFY2(off.isEmpty(), off.constData());
        // What the other program did is seen, settings that act later act on it, radiance is saved of it.
        Recipe half = comesBack(0.5f, 1);
        half.white.temperature = recipe.white.temperature = 7000.0;
        off = test::firstDifference(shown(half, 1)->view(), times(*shown(recipe, 1), 0.5f).view(), 1e-5, 1e-4);
        QVERIFY2(off.isEmpty(), off.constData());
        exportRadiance(sources_, half, measured_, at("saved.exr"), ctx);
        exportRadiance(sources_, recipe, measured_, at("plain.exr"), ctx);
        off = test::firstDifference(readExr(at("saved.exr")).rgb.view(),
                                    times(readExr(at("plain.exr")).rgb, 0.5f).view(), 1e-5, 1e-4);
        QVERIFY2(off.isEmpty(), off.constData());
        // Of another size it is laid over the same place.
        const Recipe large = comesBack(1.0f, 2);
        off = isNear(apart(*shown(large, 1), *shown(recipe, 1)));
        QVERIFY2(off.isEmpty(), off.constData());
        // Settings before it outdate it, those after it do not.
        QVERIFY(!isOutdated(half, Handed::Light) && !isOutdated(half, Handed::Picture));
        half.tone.exposure += 1.0;
        QVERIFY(!isOutdated(half, Handed::Light));
        half.movement.mode = half.movement.mode == MovementMode::Off ? MovementMode::On : MovementMode::Off;
        QVERIFY(isOutdated(half, Handed::Light));
        // A picture is no light; a file that went says so.
        const auto asLight = [&](const char *name) {
            return returnedAs(at(name), recipe, RenderPlan(sources_, measured_, recipe), Handed::Light);
        };
        write(recipe_, at("codes.tif"));
        QVERIFY_THROWS_EXCEPTION(InputError, asLight("codes.tif"));
        QFile::remove(QString::fromStdString(file));
        sources_ = open(paths_);
        QVERIFY_THROWS_EXCEPTION(InputError, shown(large, 1));
    }
};

QTEST_GUILESS_MAIN(TestDeliver)
#include "tst_deliver.moc"
