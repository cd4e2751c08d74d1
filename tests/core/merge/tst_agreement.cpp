// What the report says of frames and merge.
#include "io/linear_codes.h"
#include "merge/agreement.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>
#include <random>

using namespace yolk;

class TestAgreement : public QObject {
    Q_OBJECT
    const NoiseModel noise_{.gain = 1.0 / 8000, .readVariance = 1e-9};

    /// A smooth scene seen at exposure e, with noise.
    Image<uint16_t> shot(double e, uint64_t seed) const
    {
        std::mt19937_64 random(seed);
        std::normal_distribution<double> normal;
        Image<uint16_t> out(300, 200, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 200; ++y)
                for (int x = 0; x < 300; ++x) {
                    const double z = e * (0.02 + 0.3 * x / 300.0);
                    out.row(c, y)[x] = codeOfLinear(std::min(1.0, z + std::sqrt(noise_.variance(z)) * normal(random)));
                }
        return out;
    }

private Q_SLOTS:
    void noiseAloneIsOneSigma()
    {
        const Image<uint16_t> a = shot(1.0, 1), b = shot(0.25, 2);
        const std::vector<Exposure> exposures{{a.view(), 1.0, noise_, 1.0}, {b.view(), 0.25, noise_, 1.0}};
        SerialRunner serial;
        ExecContext ctx(serial);
        const Merged merged = mergeRadiance(exposures, {1, 1, 1}, ctx);
        const std::vector<Agreement> got = agreementOf(exposures, merged, 2);
        QCOMPARE(got.size(), size_t(2));
        QVERIFY(std::abs(got[0].share + got[1].share - 1.0) < 0.01);
        QVERIFY2(std::abs(got[0].share - 0.8) < 0.02, qPrintable(QString::number(got[0].share))); // shot noise: 4 to 1
        // The merge leans on the brighter frame: its own difference keeps the square root of the other's share.
        QVERIFY2(std::abs(got[0].sigmas - std::sqrt(0.2)) < 0.06, qPrintable(QString::number(got[0].sigmas)));
        QVERIFY2(std::abs(got[1].sigmas - std::sqrt(0.8)) < 0.06, qPrintable(QString::number(got[1].sigmas)));
        for (const Agreement &a2 : got)
            QVERIFY(std::abs(a2.differenceEv) < 0.005);
    }
    void aWrongExposureShows()
    {
        const Image<uint16_t> a = shot(1.0, 1), b = shot(0.25 * std::exp2(0.2), 2); // 0.2 EV more than it is said to be
        const std::vector<Exposure> exposures{{a.view(), 1.0, noise_, 1.0}, {b.view(), 0.25, noise_, 1.0}};
        SerialRunner serial;
        ExecContext ctx(serial);
        const Merged merged = mergeRadiance(exposures, {1, 1, 1}, ctx);
        const std::vector<Agreement> got = agreementOf(exposures, merged, 2);
        // A fifth of the error went into the merge itself.
        QVERIFY2(std::abs(got[1].differenceEv - 0.2 + std::log2(0.8 + 0.2 * std::exp2(0.2))) < 0.01,
                 qPrintable(QString::number(got[1].differenceEv)));
        QVERIFY(got[1].sigmas > 2.0);
    }
    void whatDoesNotBelongTogetherIsRefused()
    {
        const Image<uint16_t> a = shot(1.0, 1);
        const std::vector<Exposure> one{{a.view(), 1.0, noise_, 1.0}};
        SerialRunner serial;
        ExecContext ctx(serial);
        const Merged merged = mergeRadiance(one, {1, 1, 1}, ctx);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, agreementOf({}, merged, 1));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, agreementOf(one, merged, 0));
    }
};

QTEST_GUILESS_MAIN(TestAgreement)
#include "tst_agreement.moc"
