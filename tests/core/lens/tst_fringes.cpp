// Lateral colour of the simulated lens: found, and taken away.
#include "base/errors.h"
#include "frames/frame.h"
#include "lens/fringes.h"
#include "simulated_camera.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

constexpr int kWidth = 1600, kHeight = 1200, kPitch = 80;
constexpr float kGround = 0.05f;

/// White discs on grey; each keeps clear of its neighbours, so that its centre of light can be measured.
Image<float> discs()
{
    Image<float> out = test::flat(kWidth, kHeight, kGround, kGround, kGround);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
            const double dx = std::fmod(x + 0.5, kPitch) - kPitch / 2.0, dy = std::fmod(y + 0.5, kPitch) - kPitch / 2.0;
            const double cover = std::clamp(12.5 - std::hypot(dx, dy), 0.0, 1.0);
            for (int c = 0; c < 3; ++c)
                out.row(c, y)[x] += float(0.45 * cover);
        }
    return out;
}

/// The largest distance between the centres of red and blue, or either and green, over all discs, in full pixels. A
/// centre is the first moment of the light above the ground: a limit on it would measure the slope of edges too. It is
/// taken near the disc, as noise far from it counts most.
double largestOffset(const Image<uint16_t> &codes, int reduction, const std::array<std::array<double, 2>, 3> &phase,
                     int width = kWidth, int height = kHeight)
{
    double worst = 0.0;
    constexpr double kNear = 20.0; // full pixels; a disc has 12.5
    const double pitch = double(kPitch) / reduction;
    for (int row = 0; row < height / kPitch; ++row)
        for (int column = 0; column < width / kPitch; ++column) {
            double centre[3][2];
            for (int c = 0; c < 3; ++c) {
                double sum = 0.0, sx = 0.0, sy = 0.0;
                for (int y = int(row * pitch) + 1; y < int((row + 1) * pitch) - 1; ++y)
                    for (int x = int(column * pitch) + 1; x < int((column + 1) * pitch) - 1; ++x) {
                        const double dx = x + 0.5 - (column + 0.5) * pitch, dy = y + 0.5 - (row + 0.5) * pitch;
                        if (std::hypot(dx, dy) * reduction > kNear)
                            continue;
                        const double light =
                            double(linearOfCode(codes.row(c, y)[x])) / (c == 1 ? 1.0 : demo::kNeutral[size_t(c)]) -
                            kGround;
                        sum += light;
                        sx += light * x;
                        sy += light * y;
                    }
                centre[c][0] = sx / sum * reduction + phase[size_t(c)][0];
                centre[c][1] = sy / sum * reduction + phase[size_t(c)][1];
            }
            for (auto [a, b] : {std::pair(0, 1), std::pair(2, 1), std::pair(0, 2)})
                worst = std::max(worst, std::hypot(centre[a][0] - centre[b][0], centre[a][1] - centre[b][1]));
        }
    return worst;
}
constexpr std::array<std::array<double, 2>, 3> kWhole{}; // demosaiced pixels lie on each other
/// In a cell of the filter array red lies left above its middle, blue right below.
constexpr std::array<std::array<double, 2>, 3> kCell{{{-0.5, -0.5}, {0, 0}, {0.5, 0.5}}};

} // namespace

class TestFringes : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    FramePtr frame_;

private Q_SLOTS:
    void initTestCase()
    {
        // Strong enough for some 1.5 pixels between red and blue at the corners, as the camera's mixing leaves them.
        const Image<float> seen =
            demo::throughLens(discs().view(), {.softness = 0.7, .redFringe = 0.0014, .blueFringe = -0.0012});
        demo::Shot shot;
        shot.seed = 4;
        const std::string path = dir_.filePath("discs.dng").toStdString();
        demo::writeDng(path, demo::exposeMosaic(seen.view(), shot).view(), shot);
        frame_ = loadFrame(path);
    }
    void fringesAreReducedToFifteenHundredths()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Image<uint16_t> half = decodeFrame(*frame_, 2, ctx);
        const auto found = estimateFringes(half.view(), frame_->assumedNoise, ctx);
        QVERIFY(found);
        QCOMPARE(found->source, Fringes::Source::Picture);
        const double before = largestOffset(half, 2, kCell);
        // Before demosaicing: the sensor's values are moved. The half-size decode shows single samples of each colour.
        const Image<uint16_t> plain = decodeFrame(*frame_, 1, ctx);
        const Image<uint16_t> whole = decodeFrame(
            *frame_, 1, ctx, {Demosaic::Best, [&](const Mosaic &mosaic) { correctFringes(mosaic, *found, ctx); }});
        const double shown = largestOffset(plain, 1, kWhole), after = largestOffset(whole, 1, kWhole);
        qInfo("red to blue: %.2f pixels before (%.2f after demosaicing), %.3f corrected; model says %.2f", before,
              shown, after, found->largestShift(kWidth, kHeight));
        QVERIFY2(before > 1.4 && before < 2.0, qPrintable(QString::number(before)));
        QVERIFY2(after <= 0.15, qPrintable(QString::number(after)));
        QVERIFY(shown > 5.0 * after);
        // On reduced pixels, as the first picture has them: those of a cell's colours lie off each other, too.
        Image<uint16_t> reduced = decodeFrame(*frame_, 2, ctx);
        correctFringes(reduced, *found, colourOffsets(*frame_, 2), ctx);
        const double left = largestOffset(reduced, 2, kWhole);
        QVERIFY2(left <= 0.25, qPrintable(QString::number(left))); // an eighth of a half-size pixel
    }
    void coloursOfCellsAreBroughtOntoEachOther_data()
    {
        QTest::addColumn<int>("orientation");
        QTest::addColumn<std::array<double, 2>>("red"); // off the middle of its cell, of four half pixels
        QTest::newRow("upright") << 1 << std::array{-0.5, -0.5};
        QTest::newRow("mirrored") << 2 << std::array{0.5, -0.5};
        QTest::newRow("upside down") << 3 << std::array{0.5, 0.5};
        QTest::newRow("right side is top") << 6 << std::array{0.5, -0.5};
        QTest::newRow("left side is top") << 8 << std::array{-0.5, 0.5};
    }
    void coloursOfCellsAreBroughtOntoEachOther()
    {
        QFETCH(int, orientation);
        using Offset = std::array<double, 2>;
        QFETCH(Offset, red);
        // As large as each other are the picture's sides, so that discs stand alike however it is turned.
        const int side = kHeight;
        const Image<float> seen = demo::throughLens(discs().view().crop({0, 0, side, side}), {.softness = 0.7});
        demo::Shot shot;
        const QString path = dir_.filePath("cells.dng");
        demo::writeDng(path.toStdString(), demo::exposeMosaic(seen.view(), shot).view(), shot);
        QByteArray bytes = test::bytesOf(path);
        const QByteArray entry = QByteArray::fromHex("120103000100000001"); // Orientation: tag 274, short, one, upright
        const qsizetype at = bytes.lastIndexOf(entry);
        QVERIFY(at > 0);
        bytes[at + entry.size() - 1] = char(orientation);
        test::writeBytes(path, bytes);
        const FramePtr frame = loadFrame(path.toStdString());
        QCOMPARE(colourOffsets(*frame, 1), ColourOffsets());
        for (int reduction : {2, 4}) {
            const ColourOffsets offsets = colourOffsets(*frame, reduction);
            QCOMPARE(offsets.red, (Offset{red[0] / reduction, red[1] / reduction}));
            QCOMPARE(offsets.blue, (Offset{-red[0] / reduction, -red[1] / reduction}));
            ThreadRunner runner;
            ExecContext ctx(runner);
            Image<uint16_t> codes = decodeFrame(*frame, reduction, ctx);
            const double before = largestOffset(codes, reduction, kWhole, side, side);
            correctFringes(codes, {}, offsets, ctx);
            const double after = largestOffset(codes, reduction, kWhole, side, side);
            // Red to blue, a pixel in both directions; noise moves a centre by some hundredths.
            QVERIFY2(std::abs(before - std::sqrt(2.0)) < 0.2, qPrintable(QString::number(before)));
            QVERIFY2(after < 0.25, qPrintable(QString::number(after)));
        }
    }
    void aPerfectLensIsLeftAlone()
    {
        demo::Shot shot;
        const std::string path = dir_.filePath("perfect.dng").toStdString();
        demo::writeDng(
            path, demo::exposeMosaic(demo::throughLens(discs().view(), {.softness = 0.7}).view(), shot).view(), shot);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const auto found = estimateFringes(decodeFrame(*loadFrame(path), 2, ctx).view(), frame_->assumedNoise, ctx);
        QVERIFY(found && found->largestShift(kWidth, kHeight) < 0.1);
    }
    void emptyPicturesTellNothing()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Image<uint16_t> flat = test::codesOf(test::flat(200, 150, 0.2f, 0.2f, 0.2f).view());
        QVERIFY(!estimateFringes(flat.view(), {}, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, estimateFringes(Image<uint16_t>(20, 20, 3).view(), {}, ctx));
    }
    void clippedStaysClippedAndNothingRings()
    {
        Image<float> step = test::flat(400, 300, 0.01f, 0.01f, 0.01f);
        for (int y = 100; y < 200; ++y)
            for (int x = 200; x < 400; ++x)
                for (int c = 0; c < 3; ++c)
                    step.row(c, y)[x] = 1.0f;
        Image<uint16_t> codes = test::codesOf(step.view());
        SerialRunner serial;
        ExecContext ctx(serial);
        correctFringes(codes, {{0.003, 0.0}, {-0.003, 0.0}, Fringes::Source::Picture}, {}, ctx);
        const uint16_t low = codeOfLinear(0.01);
        for (int c = 0; c < 3; ++c) {
            QCOMPARE(codes.row(c, 150)[300], uint16_t(65535));
            for (int y = 0; y < 300; ++y)
                for (int x = 0; x < 400; ++x)
                    QVERIFY(codes.row(c, y)[x] >= low);
        }
        QCOMPARE(test::firstDifference(codes.view().crop({0, 0, 400, 90}),
                                       test::codesOf(step.view()).view().crop({0, 0, 400, 90})),
                 QByteArray()); // where all is even nothing changes
    }
    void sameBitsForAnyRunnerAndCancel()
    {
        ThreadRunner threads;
        ExecContext decoding(threads);
        const Fringes fringes{{0.001, 0.0002}, {-0.001, 0.0}, Fringes::Source::Picture};
        const auto corrected = [&](Runner &runner) {
            Image<uint16_t> codes = decodeFrame(*frame_, 2, decoding);
            ExecContext ctx(runner);
            correctFringes(codes, fringes, {}, ctx);
            return codes;
        };
        SerialRunner serial;
        test::ShuffledRunner shuffled(3);
        const Image<uint16_t> want = corrected(serial);
        QCOMPARE(test::firstDifference(corrected(shuffled).view(), want.view()), QByteArray());
        QCOMPARE(test::firstDifference(corrected(threads).view(), want.view()), QByteArray());
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(serial, stop.get_token());
        Image<uint16_t> codes = decodeFrame(*frame_, 2, decoding);
        QVERIFY_THROWS_EXCEPTION(Cancelled, correctFringes(codes, fringes, {}, stopped));
    }
    void lensDataAreRead()
    {
        // An invented lens in lensfun's own format: red 0.1 % larger, blue 0.08 % smaller.
        const QString file = dir_.filePath("lenses.xml");
        test::writeBytes(file, R"(<lensdatabase version="1">
            <mount><name>Own</name></mount>
            <camera><maker>Simulated</maker><model>Camera One</model><mount>Own</mount><cropfactor>1</cropfactor></camera>
            <lens><maker>Simulated</maker><model>Lens 24mm</model><mount>Own</mount><cropfactor>1</cropfactor>
              <calibration><tca model="linear" focal="24" kr="1.0010" kb="0.9992"/></calibration></lens>
            </lensdatabase>)");
        const auto found = fringesFromLensData({"Camera One", "Lens 24mm", 24.0, 3000, 2000}, file.toStdString());
        QVERIFY(found);
        QCOMPARE(found->source, Fringes::Source::LensData);
        for (double r : {0.3, 1.0}) { // lensfun counts in single precision, at places up to 1800 pixels off
            QVERIFY2(std::abs(found->red.at(r) - 0.0010) < 3e-6, qPrintable(QString::number(found->red.at(r))));
            QVERIFY2(std::abs(found->blue.at(r) + 0.0008) < 3e-6, qPrintable(QString::number(found->blue.at(r))));
        }
        QVERIFY(!fringesFromLensData({"Camera One", "", 24.0, 3000, 2000}, file.toStdString()));
        QVERIFY(!fringesFromLensData({"Camera One", "Pinhole", 24.0, 3000, 2000}, file.toStdString()));
        QVERIFY(
            !fringesFromLensData({"Camera One", "Lens 24mm", 24.0, 3000, 2000}, dir_.filePath("none").toStdString()));
    }
};

QTEST_GUILESS_MAIN(TestFringes)
#include "tst_fringes.moc"
