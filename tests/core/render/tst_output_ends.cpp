// What a picture does at the ends of its range, by hand.
#include "colour/transfer.h"
#include "render/files/output_ends.h"
#include "render/views/tone_response.h"
#include "tone/tone_curve.h"

#include <QTest>

#include <cmath>

using namespace yolk;

class TestOutputEnds : public QObject {
    Q_OBJECT
    /// One row of pixels: white, red at its end, black, blue at its lower end, middle grey.
    static Image<float> row()
    {
        Image<float> out(5, 1, 3);
        const float pixels[5][3] = {{1, 1, 1}, {1, 0.2f, 0.2f}, {0, 0, 0}, {0.3f, 0.3f, 0}, {0.2f, 0.2f, 0.2f}};
        for (int x = 0; x < 5; ++x)
            for (int c = 0; c < 3; ++c)
                out.row(c, 0)[x] = pixels[x][c];
        return out;
    }
private Q_SLOTS:
    void marksByChannel_data()
    {
        QTest::addColumn<int>("channels");
        QTest::addColumn<QByteArray>("marks"); // W, B or -
        QTest::newRow("any") << int(EndsOf::Any) << QByteArray("WWBB-");
        QTest::newRow("all") << int(EndsOf::All) << QByteArray("W-B--");
        QTest::newRow("red") << int(EndsOf::Red) << QByteArray("WWB--");
        QTest::newRow("green") << int(EndsOf::Green) << QByteArray("W-B--");
        QTest::newRow("blue") << int(EndsOf::Blue) << QByteArray("W-BB-");
    }
    void marksByChannel()
    {
        QFETCH(int, channels);
        QFETCH(QByteArray, marks);
        SerialRunner runner;
        ExecContext ctx{runner};
        const Image<uint8_t> got = outputEnds(row().view(), EndsOf(channels), ctx);
        QByteArray seen;
        for (int x = 0; x < 5; ++x)
            seen += got.row(0, 0)[x] == uint8_t(OutputEnd::White)   ? 'W'
                    : got.row(0, 0)[x] == uint8_t(OutputEnd::Black) ? 'B'
                                                                    : '-';
        QCOMPARE(seen, marks);
    }
    void anEndIsACodeOfEightBits()
    {
        SerialRunner runner;
        ExecContext ctx{runner};
        Image<float> grey(4, 1, 3);
        const double codes[4] = {254.45, 254.55, 0.45, 0.55}; // to either side of rounding to 255 and 0
        for (int x = 0; x < 4; ++x)
            for (int c = 0; c < 3; ++c)
                grey.row(c, 0)[x] = float(decodeSrgb(codes[x] / 255.0));
        const Image<uint8_t> got = outputEnds(grey.view(), EndsOf::All, ctx);
        const OutputEnd want[4] = {OutputEnd::None, OutputEnd::White, OutputEnd::Black, OutputEnd::None};
        for (int x = 0; x < 4; ++x)
            QCOMPARE(int(got.row(0, 0)[x]), int(want[x]));
    }
    void histogramCountsCodes()
    {
        SerialRunner runner;
        ExecContext ctx{runner};
        const OutputHistogram got = outputHistogram(row().view(), OutputSpace::Srgb, ctx);
        for (const auto &channel : got.shares) {
            double sum = 0.0;
            for (float share : channel)
                sum += double(share);
            QVERIFY(std::abs(sum - 1.0) < 1e-5); // 256 roundings
        }
        QCOMPARE(got.white, 0.4);
        QCOMPARE(got.black, 0.4);
        const size_t grey = size_t(std::lround(255.0 * encodeSrgb(0.2))); // 124
        QCOMPARE(got.shares[0][255], 0.4f);
        QCOMPARE(got.shares[0][grey], 0.2f);
        QCOMPARE(got.shares[2][0], 0.4f);
        QCOMPARE(got.shares[OutputHistogram::kLuminance][grey], 0.2f);
        // Luminance of the red pixel by Rec. 709: 0.2126 + 0.2 (1 - 0.2126).
        const size_t red = size_t(std::lround(255.0 * encodeSrgb(0.2126 + 0.2 * 0.7874)));
        QCOMPARE(got.shares[OutputHistogram::kLuminance][red], 0.2f);
    }
    void notANumberIsBlack()
    {
        SerialRunner runner;
        ExecContext ctx{runner};
        Image<float> one(1, 1, 3);
        for (int c = 0; c < 3; ++c)
            one.row(c, 0)[0] = NAN;
        QCOMPARE(int(outputEnds(one.view(), EndsOf::Any, ctx).row(0, 0)[0]), int(OutputEnd::Black));
    }
    void responseIsTheMedianOfEachBin()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        // Light of 0 EV (three pixels) and of 2 EV (one); shown as L* 20, 50, 90 and 70.
        Image<float> scene(4, 1, 3), display(4, 1, 3);
        const double evs[4] = {0.1, 0.1, 0.1, 2.1}, shown[4] = {20, 90, 50, 70};
        for (int x = 0; x < 4; ++x)
            for (int c = 0; c < 3; ++c) {
                scene.row(c, 0)[x] = float(luminanceOfEv(evs[x]));
                display.row(c, 0)[x] = float(luminanceOf(shown[x]));
            }
        const ToneResponse got = toneResponse(scene.view(), display.view(), OutputSpace::Srgb, ctx);
        const auto at = [&](double ev) {
            return double(got.lightness[size_t((ev - ToneResponse::kFirstEv) / ToneResponse::kBinEv)]);
        };
        QVERIFY(std::abs(at(0.1) - 50.0) < 0.01 && std::abs(at(2.1) - 70.0) < 0.01);
        QVERIFY(std::abs(at(1.1) - 60.0) < 0.01);                                     // between them
        QVERIFY(std::abs(at(-9.0) - 50.0) < 0.01 && std::abs(at(9.0) - 70.0) < 0.01); // and beyond
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 toneResponse(scene.view(), Image<float>(3, 1, 3).view(), OutputSpace::Srgb, ctx));
    }
};

QTEST_APPLESS_MAIN(TestOutputEnds)
#include "tst_output_ends.moc"
