// HEIF, AVIF and JPEG XL frames, written here by the libraries themselves.
#include "base/errors.h"
#include "colour/matrix_rows.h"
#include "frames/frame.h"
#include "image/copy.h"
#include "io/codec.h"
#include "io/metadata.h"
#include "io/still_encoder.h"
#include "render/render.h"
#include "render/set/stage_cache.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include <libheif/heif.h>
#include <opencv2/imgcodecs.hpp>

#include <QDir>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <thread>

using namespace yolk;

namespace {

constexpr int kWidth = 320, kHeight = 240;

/// Codes of 16 bits of a file, R, G, B.
std::vector<uint16_t> codesOf(const std::string &path)
{
    const cv::Mat m = cv::imread(path, cv::IMREAD_UNCHANGED);
    std::vector<uint16_t> out;
    for (int y = 0; y < m.rows; ++y)
        for (int x = 0; x < m.cols; ++x)
            for (int c = 2; c >= 0; --c)
                out.push_back(m.at<cv::Vec3w>(y, x)[c]);
    return out;
}

/// By libheif with HEVC or AV1.
void writeHeif(const std::string &path, const std::vector<uint16_t> &codes, int bits, heif_compression_format kind,
               const std::vector<std::byte> &profile, const std::vector<std::byte> &exif, int quality,
               heif_transfer_characteristics transfer = heif_transfer_characteristic_unspecified)
{
    heif_context *context = heif_context_alloc();
    heif_encoder *encoder = nullptr;
    heif_context_get_encoder_for_format(context, kind, &encoder);
    if (!encoder)
        qFatal("libheif has no such encoder here");
    heif_encoder_set_lossy_quality(encoder, quality);
    heif_encoder_set_parameter_string(encoder, "chroma", "444");
    heif_image *image = nullptr;
    heif_image_create(kWidth, kHeight, heif_colorspace_RGB,
                      bits > 8 ? heif_chroma_interleaved_RRGGBB_LE : heif_chroma_interleaved_RGB, &image);
    heif_image_add_plane(image, heif_channel_interleaved, kWidth, kHeight, bits);
    int stride = 0;
    uint8_t *plane = heif_image_get_plane(image, heif_channel_interleaved, &stride);
    const unsigned top = (1u << bits) - 1;
    for (int y = 0; y < kHeight; ++y)
        for (int i = 0; i < kWidth * 3; ++i) {
            const unsigned code = (codes[size_t(y * kWidth * 3 + i)] * top + 32767u) / 65535u;
            if (bits == 8)
                plane[y * stride + i] = uint8_t(code);
            else
                reinterpret_cast<uint16_t *>(plane + y * stride)[i] = uint16_t(code);
        }
    if (transfer != heif_transfer_characteristic_unspecified) {
        heif_color_profile_nclx *named = heif_nclx_color_profile_alloc();
        named->color_primaries = heif_color_primaries_ITU_R_BT_709_5;
        named->transfer_characteristics = transfer;
        named->matrix_coefficients = heif_matrix_coefficients_ITU_R_BT_709_5;
        named->full_range_flag = 1;
        heif_image_set_nclx_color_profile(image, named);
        heif_nclx_color_profile_free(named);
    } else {
        heif_image_set_raw_color_profile(image, "prof", profile.data(), profile.size());
    }
    heif_image_handle *handle = nullptr;
    const heif_error encoded = heif_context_encode_image(context, image, encoder, nullptr, &handle);
    if (encoded.code != heif_error_Ok)
        qFatal("libheif: %s", encoded.message);
    heif_context_add_exif_metadata(context, handle, exif.data(), int(exif.size()));
    heif_context_write_to_file(context, path.c_str());
    heif_image_handle_release(handle);
    heif_image_release(image);
    heif_encoder_release(encoder);
    heif_context_free(context);
}

void writeJxl(const std::string &path, const std::vector<uint16_t> &codes, int bits,
              const std::vector<std::byte> &profile, const std::vector<std::byte> &exif, int quality)
{
    StillPicture picture;
    picture.format = StillFormat::Jxl;
    picture.width = kWidth;
    picture.height = kHeight;
    picture.bits = bits;
    picture.quality = quality;
    picture.profile = profile;
    picture.exif = exif;
    std::vector<uint16_t> narrow(codes.size());
    const unsigned top = (1u << bits) - 1;
    for (size_t i = 0; i < codes.size(); ++i)
        narrow[i] = uint16_t((codes[i] * top + 32767u) / 65535u);
    const std::vector<std::byte> bytes = encodeJxl(picture, narrow.data());
    test::writeBytes(QString::fromStdString(path),
                     QByteArray(reinterpret_cast<const char *>(bytes.data()), qsizetype(bytes.size())));
}

} // namespace

class TestStills : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList tiffs_;
    Image<float> scene_;

    std::string at(const QString &name) const { return dir_.filePath(name).toStdString(); }
    void writeOne(const QString &kind, int bits, const std::string &from, const std::string &to, int quality) const
    {
        const std::vector<std::byte> profile = codecOf(from).readInfo(from).profile;
        const std::vector<std::byte> exif = metadataFor(from, {kWidth, kHeight, "Camera"}).exif;
        if (kind == "jxl")
            writeJxl(to, codesOf(from), bits, profile, exif, quality);
        else
            writeHeif(to, codesOf(from), bits, kind == "heic" ? heif_compression_HEVC : heif_compression_AV1, profile,
                      exif, quality);
    }
    /// Off the truth in stops, over what lies well within the range of the frames.
    double errorOf(const QStringList &paths) const
    {
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 29)};
        for (const QString &p : paths)
            sources.frames.push_back(loadFrame(p.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        Recipe recipe;
        recipe.align.mode = AlignMode::Off;
        recipe.movement.sensitivity = 0.0;
        const Measured measured = analyse(sources, recipe, ctx);
        const RenderPlan plan(sources, measured, recipe);
        const MergedPtr merged = mergedOf(plan, 1, ctx);
        Image<float> light = copyOf(merged->pixels.radiance);
        for (int y = 0; y < kHeight; ++y) {
            float *rows[3] = {light.row(0, y), light.row(1, y), light.row(2, y)};
            turnRow(plan.white, rows, kWidth, rows);
        }
        Image<uint8_t> counts(kWidth, kHeight, 1);
        for (int y = 4; y < kHeight - 4; ++y)
            std::fill(counts.row(0, y) + 8, counts.row(0, y) + kWidth - 8, uint8_t(1));
        return test::rmsStops(light.view(), scene_.view(), counts.view());
    }

private Q_SLOTS:
    void initTestCase()
    {
        scene_ = test::rampScene(kWidth, kHeight, 0.01, 9);
        tiffs_ = test::writeBracket(dir_.path(), scene_.view(), {-3, -1, 1}, 1.0, demo::FrameFile::Tiff);
        QCOMPARE(tiffs_.size(), 3);
    }

    void framesComeIn_data()
    {
        QTest::addColumn<QString>("kind");
        QTest::addColumn<int>("bits");
        for (const auto &[kind, bits] : {std::pair{"heic", 8}, std::pair{"heic", 10}, std::pair{"avif", 8},
                                         std::pair{"avif", 12}, std::pair{"jxl", 8}, std::pair{"jxl", 16}})
            QTest::addRow("%s %d", kind, bits) << kind << bits;
    }
    void framesComeIn()
    {
        QFETCH(QString, kind);
        QFETCH(int, bits);
        QStringList paths;
        for (int i = 0; i < 3; ++i) {
            paths << dir_.filePath(QStringLiteral("in%1_%2.%3").arg(bits).arg(i).arg(kind));
            writeOne(kind, bits, tiffs_[i].toStdString(), paths.back().toStdString(), 95);
            const FramePtr frame = loadFrame(paths.back().toStdString());
            QCOMPARE(frame->width, kWidth);
            QCOMPARE(frame->height, kHeight);
            QCOMPARE(frame->bits, bits == 8 ? 8 : 16);
            const Metadata want = readMetadata(tiffs_[i].toStdString());
            QCOMPARE(frame->metadata.exposureSeconds.value_or(0), want.exposureSeconds.value_or(-1));
            QCOMPARE(frame->metadata.fNumber.value_or(0), want.fNumber.value_or(-1));
            QVERIFY(!frame->codeValues.assumed);
        }
        // Beside JPEG frames of the same camera at a usual quality, which are held to methods.md.
        const QStringList jpegs = test::writeBracket(dir_.path(), scene_.view(), {-3, -1, 1}, 1.0);
        const double ours = errorOf(paths), jpeg = errorOf(jpegs);
        qInfo("%s %d bit: %.4f stops off, JPEG %.4f", qPrintable(kind), bits, ours, jpeg);
        QVERIFY2(ours < 1.15 * jpeg, qPrintable(QString("%1 %2").arg(ours).arg(jpeg)));
    }

    void codesComeBack()
    {
        // At the best quality codes lie within one step of 8 bits of what went in in the mean, and none far off.
        const std::vector<uint16_t> want = codesOf(tiffs_[1].toStdString());
        for (const QString kind : {"heic", "avif", "jxl"}) {
            const std::string to = at("best." + kind);
            writeOne(kind, 8, tiffs_[1].toStdString(), to, 100);
            SerialRunner serial;
            ExecContext ctx(serial);
            size_t i = 0;
            double sum = 0.0, most = 0.0;
            codecOf(to).readRows(
                to, 1, {},
                [&](int, const CodedRow &row) {
                    for (const uint8_t v : row.eight) {
                        const double off = std::abs(v - want[i++] / 257.0);
                        sum += off;
                        most = std::max(most, off);
                    }
                },
                ctx);
            QCOMPARE(i, want.size());
            QVERIFY2(sum / double(i) < 1.0 && most < 6.0,
                     qPrintable(QString("%1 %2 %3").arg(kind).arg(sum / double(i)).arg(most)));
        }
    }

    void coloursByName()
    {
        const auto with = [&](heif_transfer_characteristics transfer, const char *name) {
            writeHeif(at(name), codesOf(tiffs_[1].toStdString()), 8, heif_compression_AV1, {}, {}, 90, transfer);
            return loadFrame(at(name))->codeValues;
        };
        const CodeValues srgb = with(heif_transfer_characteristic_IEC_61966_2_1, "srgb.avif");
        QVERIFY(std::abs(double(srgb.curves[0][2048]) - 0.2140) < 1e-3); // sRGB of 0.5
        const CodeValues video = with(heif_transfer_characteristic_ITU_R_BT_709_5, "video.avif");
        QVERIFY(std::abs(double(video.curves[0][2048]) - 0.2596) < 1e-3); // ((0.5 + 0.099) / 1.099)^(1 / 0.45)
        QVERIFY_THROWS_EXCEPTION(InputError, with(heif_transfer_characteristic_ITU_R_BT_2100_0_PQ, "pq.avif"));
    }

    void damagedOnesAreRefused()
    {
        for (const QString kind : {"heic", "avif", "jxl"}) {
            const std::string whole = at("whole." + kind);
            writeOne(kind, 8, tiffs_[0].toStdString(), whole, 80);
            const QByteArray bytes = test::bytesOf(QString::fromStdString(whole));
            SerialRunner serial;
            ExecContext ctx(serial);
            for (const qsizetype length : {qsizetype(16), qsizetype(60), bytes.size() / 3, bytes.size() - 200}) {
                const std::string cut = at("cut." + kind);
                test::writeBytes(QString::fromStdString(cut), bytes.first(length));
                try {
                    decodeFrame(*loadFrame(cut), 1, ctx);
                    QFAIL(qPrintable(QString("%1 cut at %2 was read").arg(kind).arg(length)));
                } catch (const InputError &e) {
                    QVERIFY(QByteArray(e.what()).startsWith(cut.c_str()) && !QByteArray(e.what()).contains('\n'));
                }
            }
            // Whatever the bytes are, it ends in a picture or in a line.
            uint32_t random = 7;
            for (int i = 0; i < 40; ++i) {
                QByteArray damaged = bytes;
                for (int k = 0; k < 6; ++k) {
                    random = random * 1664525u + 1013904223u;
                    damaged[qsizetype(random % quint32(damaged.size()))] = char(random >> 24);
                }
                const std::string broken = at("broken." + kind);
                test::writeBytes(QString::fromStdString(broken), damaged);
                try {
                    decodeFrame(*loadFrame(broken), 1, ctx);
                } catch (const InputError &e) {
                    QVERIFY(!QByteArray(e.what()).contains('\n'));
                }
            }
        }
    }

    void damageIsSaidInOneLineOnly()
    {
        // Libraries print what they think; nothing of it may reach the terminal.
        const std::string whole = at("loud.jxl"), cut = at("loud-cut.jxl");
        writeOne("jxl", 8, tiffs_[0].toStdString(), whole, 80);
        const QByteArray bytes = test::bytesOf(QString::fromStdString(whole));
        test::writeBytes(QString::fromStdString(cut), bytes.first(bytes.size() - 200));
        QProcess info;
        info.start(QStringLiteral(YOLK_CLI), {"merge", QString::fromStdString(cut), "-o", QString::fromStdString(at("x.exr"))});
        QVERIFY(info.waitForFinished(60000));
        QCOMPARE(info.exitCode(), 3);
        const QByteArray said = info.readAllStandardError();
        QCOMPARE(said.trimmed().count('\n'), 0);
        QVERIFY2(said.contains("loud-cut.jxl"), said.constData());
    }

    void theEncoderSaysWhatIsWrong()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        StillPicture picture;
        picture.width = picture.height = 8;
        picture.bits = 9; // AVIF knows no such depth
        try {
            writeStill(
                at("nine.avif"), picture, [](int, std::span<uint16_t> row) { std::ranges::fill(row, uint16_t(1)); },
                ctx);
            QFAIL("it was written");
        } catch (const OutputError &e) {
            QVERIFY2(QByteArray(e.what()).contains("AVIF"), e.what());
        }
        picture.bits = 20;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, writeStill(
                                                    at("x.avif"), picture, [](int, auto) {}, ctx));
    }

    void aStopEndsTheChild()
    {
        // It is stopped while the library works: all rows have been handed over.
        std::stop_source stop;
        SerialRunner serial;
        ExecContext ctx(serial, stop.get_token());
        StillPicture picture;
        picture.width = picture.height = 2000;
        picture.bits = 10;
        picture.format = StillFormat::Avif;
        std::jthread stopper;
        QVERIFY_THROWS_EXCEPTION(Cancelled, writeStill(
                                                at("stopped.avif"), picture,
                                                [&](int y, std::span<uint16_t> row) {
                                                    for (size_t i = 0; i < row.size(); ++i)
                                                        row[i] = uint16_t((i * 7919 + size_t(y) * 104729) % 1024);
                                                    if (y == picture.height - 1)
                                                        stopper = std::jthread([&] {
                                                            std::this_thread::sleep_for(std::chrono::milliseconds(300));
                                                            stop.request_stop();
                                                        });
                                                },
                                                ctx));
        const QStringList processes = QDir("/proc").entryList(QDir::Dirs);
        for (const QString &id : processes) {
            const QByteArray parent = test::bytesOf("/proc/" + id + "/stat");
            QVERIFY(!(parent.contains("(yolk-encoder)") &&
                      parent.split(' ').value(3) == QByteArray::number(QCoreApplication::applicationPid())));
        }
    }
};

QTEST_GUILESS_MAIN(TestStills)
#include "tst_stills.moc"
