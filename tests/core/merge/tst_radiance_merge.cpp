#include "base/errors.h"
#include "merge/radiance_merge.h"
#include "support/compare.h"
#include "support/near.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>
#include <random>
#include <tuple>

using namespace yolk;

namespace {

/// A bracket whose frames own their pixels.
struct Bracket {
    std::vector<Image<uint16_t>> pixels;
    std::vector<Exposure> exposures;

    void add(Image<uint16_t> codes, double exposure, NoiseModel noise = {}, double influence = 1.0)
    {
        pixels.push_back(std::move(codes));
        exposures.push_back({pixels.back().view(), exposure, noise, influence});
    }
};

Image<float> scaled(const Image<float> &in, double factor)
{
    Image<float> out(in.shape());
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < in.height(); ++y)
            for (int x = 0; x < in.width(); ++x)
                out.row(c, y)[x] = float(in.row(c, y)[x] * factor);
    return out;
}

Bracket noiseless(const Image<float> &scene, const std::vector<double> &exposures)
{
    Bracket out;
    for (double e : exposures)
        out.add(test::codesOf(scaled(scene, e).view()), e);
    return out;
}

Merged merged(const Bracket &bracket)
{
    SerialRunner serial;
    ExecContext ctx(serial);
    return mergeRadiance(bracket.exposures, {1, 1, 1}, ctx);
}

uint16_t codeOf(double linear)
{
    return uint16_t(std::lround(linear * double(kCodeScale)) + kPedestal);
}

Image<uint16_t> flatCodes(int width, int height, double r, double g, double b)
{
    return test::codesOf(test::flat(width, height, float(r), float(g), float(b)).view());
}

} // namespace

class TestRadianceMerge : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void recoversKnownRadiance_data()
    {
        QTest::addColumn<QSize>("size");
        for (const QSize &s : {QSize(1, 1), QSize(7, 63), QSize(8, 64), QSize(33, 65), QSize(130, 130)})
            QTest::addRow("%dx%d", s.width(), s.height()) << s;
    }
    void recoversKnownRadiance()
    {
        QFETCH(QSize, size);
        const Image<float> scene = test::rampScene(size.width(), size.height(), 0.005, 8.5);
        const Merged got = merged(noiseless(scene, {16, 4, 1, 0.25, 0.0625}));
        // The coarsest step that counts: a frame's code is 1.6e-5 of its clipping; the dark end is 0.08 in the
        // brightest.
        const QByteArray diff = test::firstDifference(got.radiance.view(), scene.view(), 1e-6, 5e-4);
        QVERIFY2(diff.isEmpty(), diff);
        QCOMPARE(test::firstDifference(got.clipped.view(), Image<uint8_t>(size.width(), size.height(), 1).view()),
                 QByteArray());
    }
    void weightsAreInverseVariance()
    {
        // By hand: z 0.2 and 0.3 at e 1, read variance only, 1e-4 and 4e-4: weights 4 to 1.
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(3, 2, 0.2, 0.2, 0.2), 1.0, {.gain = 0.0, .readVariance = 1e-4});
        b.add(flatCodes(3, 2, 0.3, 0.3, 0.3), 1.0, {.gain = 0.0, .readVariance = 4e-4});
        const Merged got = merged(b);
        QVERIFY(std::abs(double(got.radiance.row(1, 1)[2]) - 0.22) < 2e-5); // two roundings to codes
        QVERIFY(std::abs(got.shares.row(0, 0)[0] - 204) <= 1);              // 0.8 of 255
        QVERIFY(std::abs(got.shares.row(1, 0)[0] - 51) <= 1);
    }
    void longerExposuresWeighMoreThanTheirLight()
    {
        // Read noise only: weights e^2, so 1 to 16; x is 0.1 in one frame and 0.12 in the other.
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(1, 1, 0.1, 0.1, 0.1), 1.0, {.gain = 0.0, .readVariance = 1e-4});
        b.add(flatCodes(1, 1, 0.48, 0.48, 0.48), 4.0, {.gain = 0.0, .readVariance = 1e-4});
        QVERIFY(std::abs(double(merged(b).radiance.row(0, 0)[0]) - (0.1 + 16 * 0.12) / 17) < 2e-5);
    }
    void varianceIsPredictedFromTheFirstEstimate()
    {
        // By hand: x = (0.002 + 0.020) / (1 + 4) = 0.0044; variances 1e-4 * 0.0044 + 1e-6 and 1e-4 * 0.0176 + 1e-6;
        // weights 1 / 1.44e-6 and 16 / 2.76e-6; the mean of 0.002 and 0.005 with these is 0.0046791.
        Bracket b;
        b.pixels.reserve(2);
        const NoiseModel noise{.gain = 1e-4, .readVariance = 1e-6};
        b.add(flatCodes(1, 1, 0.002, 0.002, 0.002), 1.0, noise);
        b.add(flatCodes(1, 1, 0.020, 0.020, 0.020), 4.0, noise);
        QVERIFY(std::abs(double(merged(b).radiance.row(0, 0)[0]) - 0.0046791) < 1e-5); // rounding to codes
    }
    void influenceScalesTheWeight()
    {
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(1, 1, 0.2, 0.2, 0.2), 1.0);
        b.add(flatCodes(1, 1, 0.3, 0.3, 0.3), 1.0, {}, 0.5);
        QVERIFY(std::abs(double(merged(b).radiance.row(0, 0)[0]) - (0.2 + 0.5 * 0.3) / 1.5) <
                1e-3); // gain tells 0.2 from 0.3 a little
    }
    void channelsLetGoTogether()
    {
        // Red clips in the bright frame; green and blue there hold other values and must not count.
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(1, 1, 0.5, 0.2, 0.1), 1.0);
        b.add(flatCodes(1, 1, 1.0, 0.9, 0.5), 4.0);
        const Merged got = merged(b);
        QVERIFY(std::abs(double(got.radiance.row(1, 0)[0]) - 0.2) < 2e-5);
        QVERIFY(std::abs(double(got.radiance.row(2, 0)[0]) - 0.1) < 2e-5);
        QCOMPARE(int(got.shares.row(1, 0)[0]), 0);
    }
    void nothingJumpsOnTheWayIntoClipping()
    {
        // A fine ramp through the clipping of the bright frame: neighbouring results differ as neighbouring scenes do.
        const Image<float> scene = test::rampScene(4000, 1, 0.1, 2.5);
        const Merged got = merged(noiseless(scene, {1.0 / 8, 1.0, 4.0}));
        for (int x = 1; x < 4000; ++x) {
            const double step = double(got.radiance.row(0, 0)[x]) / double(got.radiance.row(0, 0)[x - 1]);
            QVERIFY2(std::abs(step - std::exp2(2.5 / 3999)) < 4e-4, qPrintable(QString::number(x)));
        }
    }
    void ringingBesideAnEdgeIsNotBelieved()
    {
        // The bright frame shows 0.8 where the darker one knows the light to clip it four times over.
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(1, 1, 0.5, 0.5, 0.5), 1.0);
        b.add(flatCodes(1, 1, 0.8, 0.8, 0.8), 8.0);
        const Merged got = merged(b);
        QVERIFY(std::abs(double(got.radiance.row(1, 0)[0]) - 0.5) < 2e-5);
        QCOMPARE(int(got.shares.row(0, 0)[0]), 255);
    }
    void valuesWithinTheNoiseOfClippingDoNotCount()
    {
        // 0.99 lies within 4 sigma of clipping: what noise pushed over it is missing there, so the rest is biased.
        Bracket b;
        b.pixels.reserve(2);
        const NoiseModel noise{.gain = 1e-4, .readVariance = 1e-7}; // 4 sigma at clipping are 0.04
        b.add(flatCodes(1, 1, 0.26, 0.26, 0.26), 1.0, noise);
        b.add(flatCodes(1, 1, 0.99, 0.99, 0.99), 4.0, noise);
        const Merged got = merged(b);
        QVERIFY(std::abs(double(got.radiance.row(1, 0)[0]) - 0.26) < 2e-5);
        QCOMPARE(int(got.shares.row(1, 0)[0]), 0);
    }
    void clippedEverywhereKeepsWhatTheDarkestFrameHolds()
    {
        Bracket b;
        b.pixels.reserve(2);
        b.add(flatCodes(1, 1, 1.0, 0.6, 0.3), 0.25); // red is lost, green and blue are not
        b.add(flatCodes(1, 1, 1.0, 1.0, 1.0), 1.0);
        const Merged got = merged(b);
        const float want[3] = {4.0f, 2.4f, 1.2f};
        for (int c = 0; c < 3; ++c)
            QVERIFY(std::abs(got.radiance.row(c, 0)[0] - want[c]) < 1e-4f);
        QCOMPARE(int(got.clipped.row(0, 0)[0]), 1); // clipped, but not faded
        QCOMPARE(int(got.shares.row(0, 0)[0]), 0);
    }
    void clippedDarkestFrameIsNotOvertaken()
    {
        // The darkest frame clips in blue only and lets go; what the others show below clipping (JPEG does that in
        // clipped areas) must not be taken for light.
        Bracket b;
        b.pixels.reserve(3);
        b.add(flatCodes(1, 1, 0.33, 0.48, 1.0), 1.0 / 16);
        b.add(flatCodes(1, 1, 0.99, 0.99, 1.0), 1.0 / 4);
        b.add(flatCodes(1, 1, 0.93, 0.92, 0.91), 1.0);
        const Merged got = merged(b);
        QVERIFY(std::abs(got.radiance.row(1, 0)[0] - 0.48f * 16) < 1e-3f);
        QCOMPARE(int(got.shares.row(2, 0)[0]), 0);
        QVERIFY(got.clipped.row(0, 0)[0] > 0);
    }
    void negativesSurvive()
    {
        Bracket b;
        b.pixels.reserve(1);
        b.add(flatCodes(2, 2, -0.01, 0.0, 0.01), 1.0);
        const Merged got = merged(b);
        QVERIFY(std::abs(got.radiance.row(0, 0)[0] + 0.01f) < 2e-5f);
    }
    void errorIsAtThePhysicalLimit()
    {
        // Flat patches, Poisson-Gaussian noise, 5 frames 2 EV apart. Bound: sigma >= 1 / sqrt(sum e^2 / var), the
        // Cramer-Rao bound under normal noise [Aguerrebere2014]. This is the small form of the later benchmark.
        constexpr int kSide = 256;
        const NoiseModel noise{.gain = 1.0 / 8000, .readVariance = 4e-7};
        const std::vector<double> exposures{16, 4, 1, 0.25, 0.0625};
        for (const double light : {0.004, 0.02, 0.3, 3.0}) {
            std::mt19937_64 random(std::mt19937_64::result_type(light * 1e6));
            Bracket b;
            b.pixels.reserve(exposures.size());
            double information = 0.0;
            for (double e : exposures) {
                const double z = light * e, sigma = std::sqrt(noise.variance(z));
                std::normal_distribution<double> normal(z, sigma);
                Image<uint16_t> codes(kSide, kSide, 3);
                for (int c = 0; c < 3; ++c)
                    for (int y = 0; y < kSide; ++y)
                        for (int x = 0; x < kSide; ++x)
                            codes.row(c, y)[x] = codeOf(std::clamp(normal(random), -0.015, 1.0));
                b.add(std::move(codes), e, noise);
                if (z < 0.8) // usable: clear of the approach to clipping
                    information += e * e / (noise.variance(z) + 1.0 / 12 / (double(kCodeScale) * double(kCodeScale)));
            }
            const Merged got = merged(b);
            double sum = 0.0, squares = 0.0;
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < kSide; ++y)
                    for (int x = 0; x < kSide; ++x) {
                        const double error = double(got.radiance.row(c, y)[x]) - light;
                        sum += error;
                        squares += error * error;
                    }
            const double n = 3.0 * kSide * kSide;
            // 196 608 samples: the ratio itself is known to 0.16 % (1 / sqrt(2 n)), three sigma on top of the goal.
            QVERIFY2(std::sqrt(squares / n) <= 1.025 / std::sqrt(information),
                     qPrintable(QStringLiteral("%1: %2").arg(light).arg(std::sqrt(squares / n * information))));
            QVERIFY2(std::abs(sum / n) <= 0.005 * light, qPrintable(QString::number(sum / n / light)));
        }
    }
    void sameBitsForAnyRunner()
    {
        const Bracket b = noiseless(test::rampScene(131, 300, 0.001, 12), {4, 1, 0.25});
        SerialRunner serial;
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads;
        ExecContext ctx(serial);
        const Merged want = mergeRadiance(b.exposures, {1, 1, 1}, ctx);
        for (Runner *runner : std::initializer_list<Runner *>{&shuffled, &threads}) {
            ExecContext other(*runner);
            const Merged got = mergeRadiance(b.exposures, {1, 1, 1}, other);
            QCOMPARE(test::firstDifference(got.radiance.view(), want.radiance.view(), 0.0, 0.0), QByteArray());
            QCOMPARE(test::firstDifference(got.shares.view(), want.shares.view()), QByteArray());
        }
    }
    void orderOfFramesDoesNotMatter()
    {
        const Image<float> scene = test::rampScene(70, 70, 0.001, 12);
        const Merged a = merged(noiseless(scene, {4, 1, 0.25})), b = merged(noiseless(scene, {0.25, 4, 1}));
        const QByteArray diff = test::firstDifference(a.radiance.view(), b.radiance.view(), 0.0, 1e-6); // order of sums
        QVERIFY2(diff.isEmpty(), diff);
    }
    void stopThrowsCancelled()
    {
        const Bracket b = noiseless(test::rampScene(64, 640, 0.01, 8), {1});
        std::stop_source stop;
        SerialRunner serial;
        double last = 0.0;
        ExecContext ctx(serial, stop.get_token(), [&](double p) {
            last = p;
            stop.request_stop();
        });
        QVERIFY_THROWS_EXCEPTION(Cancelled, mergeRadiance(b.exposures, {1, 1, 1}, ctx));
        QCOMPARE(last, 0.1); // one band of ten ran
    }
    void lostChannelsAreRebuiltFromWhite_data()
    {
        QTest::addColumn<QList<double>>("recorded");
        QTest::addColumn<QList<double>>("wanted");
        QTest::addColumn<int>("faded");
        // A camera whose white is (0.5, 1, 0.7).
        QTest::newRow("all lost: white, as bright as red says") << QList{1.0, 1.0, 1.0} << QList{1.0, 2.0, 1.4} << 255;
        QTest::newRow("white light, green lost: rises with the others")
            << QList{0.6, 1.0, 0.84} << QList{0.6, 1.2, 0.84} << 1;
        QTest::newRow("white light, green and blue lost: rise with red")
            << QList{0.9, 1.0, 1.0} << QList{0.9, 1.8, 1.26} << 1;
        QTest::newRow("warm light, green lost: between red and blue") // sqrt(0.8 / 0.5 * 0.6 / 0.7)
            << QList{0.8, 1.0, 0.6} << QList{0.8, 1.17108, 0.6} << 1;
        QTest::newRow("warm light, red and green lost: between what is left of them") // sqrt(1 / 0.5 * 0.75 / 0.7)
            << QList{1.0, 1.0, 0.75} << QList{1.0, 1.46385, 0.75} << 1;
        QTest::newRow("green light: stays green") << QList{0.3, 1.0, 0.4} << QList{0.3, 1.0, 0.4} << 1;
    }
    void lostChannelsAreRebuiltFromWhite()
    {
        QFETCH(QList<double>, recorded);
        QFETCH(QList<double>, wanted);
        QFETCH(int, faded);
        const Vector3 neutral{0.5, 1.0, 0.7};
        const Image<uint16_t> codes = flatCodes(1, 1, recorded[0], recorded[1], recorded[2]);
        SerialRunner serial;
        ExecContext ctx(serial);
        const Merged got = mergeRadiance(std::vector<Exposure>{{codes.view(), 1.0, {}}}, neutral, ctx);
        QCOMPARE(int(got.clipped.row(0, 0)[0]), faded);
        for (int c = 0; c < 3; ++c)
            QVERIFY2(std::abs(double(got.radiance.row(c, 0)[0]) - wanted[c]) < 1e-4,
                     qPrintable(QString::number(double(got.radiance.row(c, 0)[0]))));
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 mergeRadiance(std::vector<Exposure>{{codes.view(), 1.0, {}}}, {0.0, 1.0, 1.0}, ctx));
    }
    void varianceIsThatOfTheWeightedMean()
    {
        // By hand: variances 1e-4 and 4e-4 at e 1: 1 / (1e4 + 2500) = 8e-5. With influence 0.5 on the second:
        // weights 1e4 and 1250; (1e4 + 0.5 * 1250) / 11250^2.
        for (const double influence : {1.0, 0.5}) {
            Bracket b;
            b.pixels.reserve(2);
            b.add(flatCodes(1, 1, 0.2, 0.2, 0.2), 1.0, {.gain = 0.0, .readVariance = 1e-4});
            b.add(flatCodes(1, 1, 0.2, 0.2, 0.2), 1.0, {.gain = 0.0, .readVariance = 4e-4}, influence);
            const double want = influence == 1.0 ? 8e-5 : (1e4 + 0.5 * 1250) / (11250.0 * 11250.0);
            const double got = double(ofBrief(merged(b).variance.row(2, 0)[0]));
            QVERIFY2(std::abs(got / want - 1.0) < 0.005, qPrintable(QString::number(got))); // kept to 0.4 %
        }
    }
    void varianceIsThatOfRepeatedMerges()
    {
        // The same light many times over: what the merge says of its noise is what its noise is.
        const NoiseModel noise{.gain = 1.0 / 4000, .readVariance = 1e-6};
        std::mt19937_64 random(5);
        Bracket b;
        b.pixels.reserve(2);
        for (double e : {4.0, 1.0}) {
            std::normal_distribution<double> normal(0.1 * e, std::sqrt(noise.variance(0.1 * e)));
            Image<uint16_t> codes(200, 200, 3);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < 200; ++y)
                    for (int x = 0; x < 200; ++x)
                        codes.row(c, y)[x] = codeOf(normal(random));
            b.add(std::move(codes), e, noise);
        }
        const Merged got = merged(b);
        double squares = 0.0, said = 0.0;
        for (int y = 0; y < 200; ++y)
            for (int x = 0; x < 200; ++x) {
                squares += std::pow(double(got.radiance.row(1, y)[x]) - 0.1, 2);
                said += double(ofBrief(got.variance.row(1, y)[x]));
            }
        QVERIFY2(std::abs(squares / said - 1.0) < 0.03, qPrintable(QString::number(squares / said))); // 4 sigma
    }
    void badInputIsRefused()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<uint16_t> a(4, 4, 3), b(5, 4, 3), grey(4, 4, 1);
        const auto refuses = [&](std::vector<Exposure> in) {
            QVERIFY_THROWS_EXCEPTION(ArgumentError, mergeRadiance(in, {1, 1, 1}, ctx));
        };
        refuses({});
        refuses({{a.view(), 1.0, {}}, {b.view(), 1.0, {}}});
        refuses({{grey.view(), 1.0, {}}});
        refuses({{a.view(), 0.0, {}}});
        refuses({{a.view(), std::nan(""), {}}});
        refuses({{a.view(), 1.0, {}, 0.0}});
        refuses({{a.view(), 1.0, {.gain = -1.0}}});
        refuses({{a.view(), 1.0, {.readVariance = 0.0}}});
    }
    void whatIsNotTrustedDoesNotCount() // by hand: the second frame shows another light in its left half
    {
        Bracket in;
        in.add(flatCodes(20, 3, 0.1, 0.1, 0.1), 1.0);
        in.add(flatCodes(20, 3, 0.8, 0.8, 0.8), 4.0);
        Image<uint8_t> trust(20, 3, 1);
        for (int y = 0; y < 3; ++y)
            std::fill_n(trust.row(0, y) + 10, 10, uint8_t(255));
        const Merged plain = merged(in);
        in.exposures[1].trust = trust.view();
        const Merged got = merged(in);
        test::compareNear(double(got.radiance.row(1, 1)[4]), 0.1, 1e-4);
        QCOMPARE(got.shares.row(1, 1)[4], uint8_t(0));
        QCOMPARE(got.radiance.row(1, 1)[14], plain.radiance.row(1, 1)[14]);
        const Image<uint8_t> wrong(3, 3, 1);
        in.exposures[1].trust = wrong.view();
        QVERIFY_THROWS_EXCEPTION(ArgumentError, merged(in));
    }
    void whereTheDarkestIsNotThereTheNextFillsIn() // all clip; the darkest does not cover the left half
    {
        Bracket in;
        in.add(flatCodes(20, 2, 1.0, 1.0, 1.0), 0.25);
        in.add(flatCodes(20, 2, 1.0, 1.0, 1.0), 1.0);
        Image<uint8_t> trust(20, 2, 1);
        for (int y = 0; y < 2; ++y)
            std::fill_n(trust.row(0, y) + 10, 10, uint8_t(255));
        in.exposures[0].trust = trust.view();
        const Merged got = merged(in);
        test::compareNear(double(got.radiance.row(1, 0)[4]), 1.0, 1e-3);
        test::compareNear(double(got.radiance.row(1, 0)[14]), 4.0, 4e-3);
        QVERIFY(got.clipped.row(0, 0)[4] > 0 && got.clipped.row(0, 0)[14] > 0);
    }
    void whatShowsFarLessThanClippedFramesPromiseIsAnotherSpot() // by hand: the second says 1 or more
    {
        Image<uint8_t> trust(20, 2, 1);
        for (int y = 0; y < 2; ++y)
            std::fill_n(trust.row(0, y), 20, uint8_t(255));
        for (const auto &[light, brought, want] :
             {std::tuple(0.08, true, 1.0), std::tuple(0.9, true, 0.9), std::tuple(0.08, false, 0.08)}) {
            Bracket in;
            in.add(flatCodes(20, 2, light / 4, light / 4, light / 4), 0.25);
            in.add(flatCodes(20, 2, 1.0, 1.0, 1.0), 1.0);
            if (brought)
                in.exposures[0].trust = trust.view();
            const Merged got = merged(in);
            test::compareNear(double(got.radiance.row(1, 0)[4]), want, 2e-3);
            QCOMPARE(got.clipped.row(0, 0)[4] > 0, want == 1.0);
        }
    }
};

QTEST_GUILESS_MAIN(TestRadianceMerge)
#include "tst_radiance_merge.moc"
