// Files that are merged already: EXR, Radiance HDR, 32-bit TIFF.
#include "base/errors.h"
#include "frames/bracket.h"
#include "frames/overshoot.h"
#include "image/copy.h"
#include "image/mat_p.h"
#include "io/radiance_file.h"
#include "render/render.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>
#include <opencv2/imgproc.hpp>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <limits>

using namespace yolk;

class TestRadianceFrame : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::string path(const char *name) const { return dir_.filePath(QString::fromLatin1(name)).toStdString(); }
    static Image<float> decoded(const Frame &frame, int reduction)
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        return decodeRadiance(frame, reduction, ctx);
    }

    /// A ceiling of 0.1 with lamps of 50, four times as large as it is wanted.
    static Image<float> lamps()
    {
        Image<float> out = test::flat(480, 320, 0.1f, 0.1f, 0.1f);
        for (int c = 0; c < 3; ++c)
            for (int y = 40; y < 280; ++y)
                for (int x = 40; x < 440; ++x)
                    if (x % 80 > 0 && x % 80 < 35 && y % 64 > 0 && y % 64 < 23) // on no pixel's edge
                        out.row(c, y)[x] = 50.0f;
        return out;
    }
    static long long filled(Image<float> &radiance)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return fillOvershoot(radiance, ctx);
    }

    static Image<float> reduced(const Image<float> &large, int filter)
    {
        Image<float> out(120, 80, 3);
        for (int c = 0; c < 3; ++c) {
            cv::Mat to = matOf(out, c);
            cv::resize(matOf(large, c), to, to.size(), 0, 0, filter);
        }
        return out;
    }

private Q_SLOTS:
    void ringsRoundLampsAreFilledFromBesideThem()
    {
        // Against OpenCV, which reduces the same picture by areas, where nothing rings.
        const Image<float> large = lamps();
        Image<float> ringing = reduced(large, cv::INTER_LANCZOS4);
        const Image<float> byArea = reduced(large, cv::INTER_AREA);
        long long below = 0;
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 120; ++x)
                below += ringing.row(1, y)[x] < 0.0f;
        QVERIFY2(below > 100, qPrintable(QString::number(below)));
        const Image<float> before = copyOf(ringing);
        QCOMPARE(filled(ringing), below);
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 120; ++x) {
                const float was = before.row(1, y)[x], is = ringing.row(1, y)[x];
                if (was >= 0.0f)
                    QCOMPARE(is, was);
                else if (byArea.row(1, y)[x] < 0.2f) // all ceiling: what rings back beyond is nearest to it
                    QVERIFY2(is > 0.0f && is < 1.5f, qPrintable(QString("%1 at %2, %3").arg(is).arg(x).arg(y)));
            }
    }
    void filledRingsAreSaid()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        for (const auto &[filter, rings] : {std::pair(int(cv::INTER_LANCZOS4), true), {int(cv::INTER_AREA), false}}) {
            writeExr(path("lamps.exr"), reduced(lamps(), filter).view(), {});
            const Sources sources{{loadFrame(path("lamps.exr"))}, std::make_shared<StageCache>(size_t(64) << 20)};
            const Bracket bracket = bracketOf(sources, analyse(sources, {}, ctx), {});
            QCOMPARE(std::ranges::any_of(bracket.notices,
                                         [](const std::string &n) { return n.find("rings") != std::string::npos; }),
                     rings);
        }
    }
    void noiseAndColoursBelowZeroStay()
    {
        Image<float> noise = test::flat(200, 150, 0.0f, 0.0f, 0.0f);
        cv::theRNG().state = 11;
        for (int c = 0; c < 3; ++c) {
            cv::Mat plane = matOf(noise, c);
            cv::randn(plane, 0.0, 0.02);
        }
        QVERIFY(filled(noise) < 10); // of 15 000 below zero
        // Red of a laser beside black, as narrower primaries have it.
        Image<float> laser = test::flat(40, 40, 0.0f, 0.0f, 0.0f);
        for (int y = 10; y < 30; ++y)
            for (int x = 10; x < 30; ++x) {
                laser.row(0, y)[x] = 90.0f;
                laser.row(1, y)[x] = -9.0f;
                laser.row(2, y)[x] = -2.0f;
            }
        QCOMPARE(filled(laser), 0);
    }
    void exrIsReadAsItIs()
    {
        const Image<float> scene = test::rampScene(90, 61, 0.001, 18); // far above 1
        RadianceNotes notes;
        notes.primaries = kRec2020;
        writeExr(path("a.exr"), scene.view(), notes);
        const FramePtr frame = loadFrame(path("a.exr"));
        QVERIFY(frame->isRadiance() && !frame->isRaw());
        QCOMPARE(frame->format, std::string("EXR"));
        QCOMPARE(test::firstDifference(decoded(*frame, 1).view(), scene.view(), 0.0, 0.0), QByteArray());
        for (int i = 0; i < 9;
             ++i) // its own primaries are those of the working space; the attribute is single precision
            QVERIFY(std::abs(frame->codeValues.toRec2020.m[size_t(i)] - (i % 4 == 0)) < 1e-5);
    }
    void reducedPixelsAreMeansUpToTheEdges()
    {
        Image<float> scene(5, 3, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 3; ++y)
                for (int x = 0; x < 5; ++x)
                    scene.row(c, y)[x] = float(x + 10 * y + 100 * c);
        writeExr(path("small.exr"), scene.view(), {});
        const Image<float> half = decoded(*loadFrame(path("small.exr")), 2);
        QCOMPARE(half.shape(), (Shape{3, 2, 3}));
        QCOMPARE(half.row(0, 0)[0], 5.5f);   // (0 + 1 + 10 + 11) / 4
        QCOMPARE(half.row(1, 0)[2], 109.0f); // (104 + 114) / 2
        QCOMPARE(half.row(2, 1)[2], 224.0f); // a single one
    }
    void whatIsNoNumberBecomesNone()
    {
        Image<float> odd(4, 1, 3);
        odd.row(0, 0)[0] = std::numeric_limits<float>::quiet_NaN();
        odd.row(1, 0)[1] = std::numeric_limits<float>::infinity();
        odd.row(2, 0)[2] = -3.0f;
        writeExr(path("odd.exr"), odd.view(), {});
        const Image<float> got = decoded(*loadFrame(path("odd.exr")), 1);
        QCOMPARE(got.row(0, 0)[0], 0.0f);
        QVERIFY(std::isfinite(got.row(1, 0)[1]) && got.row(1, 0)[1] > 1e8f);
        QCOMPARE(got.row(2, 0)[2], -3.0f); // out of a narrow gamut: kept
    }
    void floatTiffOfAnotherProgramIsRead()
    {
        cv::Mat pixels(40, 50, CV_32FC3);
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 50; ++x)
                pixels.at<cv::Vec3f>(y, x) = {0.1f * float(x), 0.2f * float(y), 7.5f}; // blue, green, red
        QVERIFY(cv::imwrite(path("f.tif"), pixels, {cv::IMWRITE_TIFF_COMPRESSION, 1}));
        const FramePtr frame = loadFrame(path("f.tif"));
        QVERIFY(frame->isRadiance());
        const Image<float> got = decoded(*frame, 1);
        QCOMPARE(got.row(0, 20)[30], 7.5f);
        QCOMPARE(got.row(1, 20)[30], 0.2f * 20.0f);
        QCOMPARE(got.row(2, 20)[30], 0.1f * 30.0f);
    }
    void hdrOfAnotherProgramIsRead()
    {
        cv::Mat pixels(30, 64, CV_32FC3, cv::Scalar(0.25, 1.0, 4.0));
        QVERIFY(cv::imwrite(path("o.hdr"), pixels));
        const Image<float> got = decoded(*loadFrame(path("o.hdr")), 1);
        QCOMPARE(got.shape(), (Shape{64, 30, 3}));
        QVERIFY(std::abs(got.row(0, 9)[9] - 4.0f) < 4.0f / 128 && std::abs(got.row(1, 9)[9] - 1.0f) < 4.0f / 128);
        // (1, 1, 1) is 128 128 128 129 in the file format; the end of the file, then, is these four bytes.
        writeRadianceHdr(path("one.hdr"), test::flat(4, 4, 1, 1, 1).view()); // too narrow for run lengths
        const QByteArray bytes = test::bytesOf(dir_.filePath("one.hdr"));
        QCOMPARE(bytes.right(4), QByteArray("\x80\x80\x80\x81", 4));
        QCOMPARE(decoded(*loadFrame(path("one.hdr")), 1).row(1, 2)[2], 1.0f);
    }
    void cutHdrEndsAndIsRefused()
    {
        writeRadianceHdr(path("whole.hdr"), test::rampScene(200, 100, 0.01, 8).view());
        const QByteArray bytes = test::bytesOf(dir_.filePath("whole.hdr"));
        for (int share = 1; share < 20; ++share) { // some readers never come back from these
            test::writeBytes(dir_.filePath("cut.hdr"), bytes.first(bytes.size() * share / 20));
            try {
                decoded(*loadFrame(path("cut.hdr")), 1);
                QFAIL("a cut file was read");
            } catch (const InputError &) {
            }
        }
    }
    void besideFramesItCannotBeUsed()
    {
        QStringList paths = test::writeBracket(dir_.path(), test::rampScene(60, 40, 0.01, 8).view(), {0, 2}, 1.0);
        writeExr(path("beside.exr"), test::rampScene(60, 40, 0.01, 8).view(), {});
        paths << dir_.filePath("beside.exr");
        Sources sources{{}, std::make_shared<StageCache>(size_t(64) << 20)};
        for (const QString &p : paths)
            sources.frames.push_back(loadFrame(p.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        const Bracket bracket = bracketOf(sources, measured, Recipe());
        QCOMPARE(bracket.used().size(), size_t(2));
        for (const BracketFrame &f : bracket.frames)
            QCOMPARE(f.usable, !f.frame->isRadiance());
        QVERIFY_THROWS_EXCEPTION(ArgumentError, decodeFrame(*sources.frames[2], 1, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, decodeRadiance(*sources.frames[0], 1, ctx));
    }
    void radianceGoesThroughThePipeline()
    {
        const Image<float> scene = test::rampScene(120, 80, 0.001, 12);
        writeExr(path("pipe.exr"), scene.view(), {});
        const Sources sources{{loadFrame(path("pipe.exr"))}, std::make_shared<StageCache>(size_t(64) << 20)};
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        QVERIFY(measured.light.empty());
        const PicturePtr got = sceneOf(RenderPlan(sources, measured, {}), {}, ctx);
        const Matrix3 m = rgbToRgb(kRec709, kRec2020);
        const Vector3 want = m * Vector3{scene.row(0, 40)[60], scene.row(1, 40)[60], scene.row(2, 40)[60]};
        for (int c = 0; c < 3; ++c)
            QVERIFY(std::abs(double(got->row(c, 40)[60]) / want[size_t(c)] - 1.0) < 1e-5);
        QCOMPARE(mergedOf(RenderPlan(sources, measured, {}), 1, ctx)->clippedShare, 0.0);
        QVERIFY(measured.tone.highEv - measured.tone.lowEv > 10.0);
    }
};

QTEST_GUILESS_MAIN(TestRadianceFrame)
#include "tst_radiance_frame.moc"
