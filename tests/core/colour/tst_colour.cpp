// Colour against published numbers; the source stands beside each.
#include "base/errors.h"
#include "colour/icc.h"
#include "colour/oklab.h"
#include "colour/oklab_rows.h"
#include "colour/transfer.h"
#include "support/near.h"

#include <QTest>

using namespace yolk;
using yolk::test::compareNear;

class TestColour : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void luminanceWeights()
    {
        // ITU-R BT.709 and BT.2020 print four digits.
        const Matrix3 a = rgbToXyz(kRec709), b = rgbToXyz(kRec2020);
        const double want709[3] = {0.2126, 0.7152, 0.0722}, want2020[3] = {0.2627, 0.6780, 0.0593};
        for (int c = 0; c < 3; ++c) {
            compareNear(a(1, c), want709[c], 5e-5);
            compareNear(b(1, c), want2020[c], 5e-5);
            compareNear(double(kLuminance2020[size_t(c)]), want2020[c], 1e-6);
        }
    }
    void srgbToXyzIsThePublishedMatrix()
    {
        // IEC 61966-2-1, four digits.
        const double want[9] = {0.4124, 0.3576, 0.1805, 0.2126, 0.7152, 0.0722, 0.0193, 0.1192, 0.9505};
        const Matrix3 got = rgbToXyz(kRec709);
        for (size_t i = 0; i < 9; ++i)
            compareNear(got.m[i], want[i], 1.1e-4); // the standard rounds the white point, too
    }
    void matricesInvert()
    {
        const Matrix3 product = inverse(rgbToXyz(kRec2020)) * rgbToXyz(kRec2020);
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 3; ++c)
                compareNear(product(r, c), r == c ? 1.0 : 0.0, 1e-12);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, inverse(Matrix3{{1, 2, 3, 2, 4, 6, 0, 0, 1}}));
    }
    void whiteStaysWhite()
    {
        for (const Primaries &to : {kRec709, kP3, kAp1})
            for (double v : rgbToRgb(kRec2020, to) * Vector3{1, 1, 1})
                compareNear(v, 1.0, 1e-9);
        const Vector3 d50 = bradford(kD65, kD50) * xyzOf(kD65);
        compareNear(d50[0], 0.9642, 2e-4); // CIE 15: D50 is 0.9642, 1, 0.8251
        compareNear(d50[2], 0.8251, 2e-4);
    }
    void srgbTransfer()
    {
        compareNear(decodeSrgb(0.5), 0.21404, 5e-6); // IEC 61966-2-1
        for (double v : {0.0, 0.001, 0.0031308, 0.02, 0.5, 1.0})
            compareNear(decodeSrgb(encodeSrgb(v)), v, 1e-7); // the two pieces meet to some 1e-8
    }
    void softEndLeavesWhatLiesWell()
    {
        // What fitColoursSoftly passes by rests on this: with 4/3 of its chroma the largest channel of a colour rises by
        // no more than it lies over the least. All colours are some light times one whose largest channel is 1.
        constexpr int kSteps = 60;
        for (const OutputSpace output : {OutputSpace::Srgb, OutputSpace::DisplayP3, OutputSpace::Rec2020,
                                         OutputSpace::OpRgb, OutputSpace::Romm}) {
            const OklabSpace space(primariesOf(output));
            double steepest = 0.0;
            for (size_t top = 0; top < 3; ++top)
                for (int i = 0; i <= kSteps; ++i)
                    for (int j = 0; j <= kSteps; ++j) {
                        Vector3 rgb;
                        rgb[top] = 1.0;
                        rgb[(top + 1) % 3] = double(i) / kSteps;
                        rgb[(top + 2) % 3] = double(j) / kSteps;
                        const double spread = 1.0 - std::ranges::min(rgb);
                        Oklab lab = space.fromRgb(rgb);
                        lab.a *= 4.0 / 3.0;
                        lab.b *= 4.0 / 3.0;
                        if (spread > 1e-3)
                            steepest = std::max(steepest, (std::ranges::max(space.toRgb(lab)) - 1.0) / spread);
                    }
            QVERIFY2(steepest > 0.5 && steepest < 1.0, qPrintable(QString::number(steepest)));
        }
        // And so a pixel has the same bits beside a bright one, which takes the long way, as alone.
        const OklabSpace srgb(kRec709);
        for (int i = 0; i < 500; ++i) {
            const auto channel = [i](int step) { return float((i * step) % 101) / 101.0f; };
            std::array<float, 8> r, g, b, alone[3];
            r.fill(channel(7)), g.fill(channel(13)), b.fill(channel(29));
            alone[0] = r, alone[1] = g, alone[2] = b;
            r[7] = 1.0f, g[7] = 0.9f, b[7] = 0.2f;
            fitColoursSoftly(alone[0].data(), alone[1].data(), alone[2].data(), 8, srgb, 1.0f, 0.955f);
            fitColoursSoftly(r.data(), g.data(), b.data(), 8, srgb, 1.0f, 0.955f);
            QVERIFY(r[0] == alone[0][0] && g[0] == alone[1][0] && b[0] == alone[2][0]);
        }
    }
    void lightness()
    {
        compareNear(lightnessOf(0.18), 49.496, 1e-3); // CIE 1976, by hand: 116 * 0.18^(1/3) - 16
        compareNear(lightnessOf(1.0), 100.0, 1e-9);
        compareNear(lightnessOf(0.001), 0.9033, 1e-4); // the straight part: 903.3 Y
        for (double l : {0.0, 3.0, 8.0, 50.0, 100.0})
            compareNear(lightnessOf(luminanceOf(l)), l, 1e-9);
    }
    void oklabOfPublishedColours_data()
    {
        // Ottosson 2020, table of examples, three digits.
        QTest::addColumn<QList<double>>("xyz");
        QTest::addColumn<QList<double>>("lab");
        QTest::newRow("white") << QList<double>{0.950, 1, 1.089} << QList<double>{1.000, 0.000, 0.000};
        QTest::newRow("X") << QList<double>{1, 0, 0} << QList<double>{0.450, 1.236, -0.019};
        QTest::newRow("Y") << QList<double>{0, 1, 0} << QList<double>{0.922, -0.671, 0.263};
        QTest::newRow("Z") << QList<double>{0, 0, 1} << QList<double>{0.153, -1.415, -0.449};
    }
    void oklabOfPublishedColours()
    {
        QFETCH(QList<double>, xyz);
        QFETCH(QList<double>, lab);
        const Oklab got = oklabOfXyz({xyz[0], xyz[1], xyz[2]});
        compareNear(got.L, lab[0], 6e-4);
        compareNear(got.a, lab[1], 6e-4);
        compareNear(got.b, lab[2], 6e-4);
    }
    void oklabComesBack()
    {
        const OklabSpace space(kRec2020);
        for (const Vector3 &rgb : {Vector3{0.2, 0.5, 0.9}, Vector3{1, 0, 0}, Vector3{0.01, 0.02, 0.005}}) {
            const Vector3 back = space.toRgb(space.fromRgb(rgb));
            for (size_t c = 0; c < 3; ++c)
                compareNear(back[c], rgb[c], 1e-6);
        }
    }
    void gamutMappingKeepsHueAndLightness()
    {
        const OklabSpace space(kRec709);
        const auto hue = [](const Oklab &c) { return std::atan2(c.b, c.a); };
        for (const Vector3 &rgb :
             {Vector3{1.3, 0.2, 0.1}, Vector3{-0.2, 0.7, 0.3}, Vector3{0.1, 0.2, 1.3}, Vector3{1.1, 0.6, -0.1}}) {
            const Oklab before = space.fromRgb(rgb), after = space.fromRgb(mapIntoGamut(rgb, space));
            const Vector3 inside = mapIntoGamut(rgb, space);
            for (double v : inside)
                QVERIFY(v >= 0.0 && v <= 1.0);
            compareNear(after.L, before.L, 2e-3);
            compareNear(hue(after), hue(before), 0.02);        // a degree: rounding at the cube's edge
            QVERIFY(chromaOf(after) > 0.3 * chromaOf(before)); // no more than needed
        }
        const Vector3 kept{0.2, 0.4, 0.6};
        QCOMPARE(mapIntoGamut(kept, space), kept);
        QCOMPARE(mapIntoGamut({9, 9, 9}, space), (Vector3{1, 1, 1}));
        QCOMPARE(mapIntoGamut({std::nan(""), 0, 0}, space), (Vector3{0, 0, 0}));
    }
};

QTEST_GUILESS_MAIN(TestColour)
#include "tst_colour.moc"
