// Coverage and what follows from it, on frames without files; white balance beside it.
#include "base/errors.h"
#include "frames/coverage.h"

#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

/// A bracket of frames with the usual sensor's noise; the reference is the one of 0 EV.
Bracket bracketOf(const std::vector<double> &evs)
{
    Bracket out;
    for (size_t i = 0; i < evs.size(); ++i) {
        auto frame = std::make_shared<Frame>();
        frame->id = "frame" + std::to_string(i);
        BracketFrame f;
        f.frame = frame;
        f.exposure = std::exp2(evs[i]);
        f.ev = evs[i];
        f.measured.noise = {1.0 / 25000, std::pow(4.0 / 25000, 2)};
        f.number = f.given = int(i) + 1;
        if (evs[i] == 0.0)
            out.reference = i;
        out.frames.push_back(f);
    }
    return out;
}

/// Light from 2^low to 2^high of the reference frame's clipping, spread evenly in stops.
std::vector<LightSample> lightBetween(double low, double high, int count = 20000)
{
    std::vector<LightSample> out;
    for (int i = 0; i < count; ++i) {
        const float light = float(std::exp2(low + (high - low) * (i + 0.5) / count));
        out.push_back({light, light});
    }
    return out;
}

} // namespace

class TestCoverage : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void lostSharesAreCountedAtBothEnds()
    {
        // 20 stops of light: two above the clipping of the darkest frame, the lowest below noise of the brightest.
        const Bracket bracket = bracketOf({-2, 0, 2});
        const Coverage coverage = coverageOf(bracket, lightBetween(-16, 4));
        QVERIFY(std::abs(coverage.clipped - (2.0 - std::log2(0.982)) / 20.0) < 1e-3);
        // By hand: merged signal-to-noise ratio 1 where sum of (x e)^2 / variance(x e) = 1, e = 1/4, 1, 4.
        double low = 1e-6, high = 1e-2;
        for (int i = 0; i < 60; ++i) {
            const double x = std::sqrt(low * high);
            double sum = 0.0;
            for (double e : {0.25, 1.0, 4.0})
                sum += x * e * x * e / (x * e / 25000 + std::pow(4.0 / 25000, 2));
            (sum < 1.0 ? low : high) = x;
        }
        QVERIFY(std::abs(coverage.dark - (std::log2(low) + 16.0) / 20.0) < 1e-3);
        QVERIFY(coverageSentence(bracket, coverage).starts_with("3 frames hold all but "));
    }
    void aWholeSceneIsSaidToBeHeld()
    {
        const Bracket bracket = bracketOf({-4, 0, 4});
        const Coverage coverage = coverageOf(bracket, lightBetween(-8, 3));
        QCOMPARE(coverage.clipped, 0.0);
        QCOMPARE(coverageSentence(bracket, coverage).substr(0, 33), std::string("3 frames hold the whole picture"));
        QVERIFY(coverage.dispensable.empty()); // 4 EV apart each one is needed
    }
    void repeatsAreDispensableOnce()
    {
        const Bracket bracket = bracketOf({-4, -4, 0, 4});
        const Coverage coverage = coverageOf(bracket, lightBetween(-11, 3));
        QCOMPARE(coverage.dispensable, std::vector<size_t>{1}); // of equals the later one goes
        QVERIFY(coverageSentence(bracket, coverage).ends_with("; frame 2 adds little"));
        QVERIFY(std::abs(coverage.frames[0].needed) < 1e-9); // its twin holds the same
        QVERIFY(coverage.frames[3].needed > 0.1);
    }
    void oneEvBetweenAddsLittle()
    {
        // Between 0 and +2 the +1 often adds nothing (common practice, no published source). The scene ends where
        // the darkest frame's range does.
        const Bracket bracket = bracketOf({-2, 0, 1, 2});
        const Coverage coverage = coverageOf(bracket, lightBetween(-6, 1.9));
        QVERIFY(std::ranges::find(coverage.dispensable, size_t(2)) != coverage.dispensable.end());
        QVERIFY(std::ranges::find(coverage.dispensable, bracket.reference) == coverage.dispensable.end());
        for (size_t i : coverage.dispensable)
            QVERIFY(coverage.frames[i].needed < 1e-3);
    }
    void whatIsLeftOutCountsForNothing()
    {
        Bracket bracket = bracketOf({-4, 0, 4});
        bracket.frames[0].used = false;
        const Coverage coverage = coverageOf(bracket, lightBetween(-8, 3));
        QVERIFY(std::abs(coverage.clipped - (3.0 - std::log2(0.982)) / 11.0) < 1e-3);
        QCOMPARE(coverage.frames[0].gainStops, 0.0);
        QVERIFY(coverageSentence(bracket, coverage).find("a darker frame is missing") != std::string::npos);
    }
    void gainOfATwinIsHalfAStop()
    {
        // Two equal frames: the second brings the square root of two.
        const Coverage coverage = coverageOf(bracketOf({0, 0}), lightBetween(-6, -1));
        QVERIFY(std::abs(coverage.frames[1].gainStops - 0.5) < 1e-3);
    }
    void singleFramesSayWhatIsMissing()
    {
        const Bracket bracket = bracketOf({0});
        const Coverage bright = coverageOf(bracket, lightBetween(-6, 3));
        QVERIFY(coverageSentence(bracket, bright).starts_with("one frame holds all but 34 %"));
        QVERIFY(coverageSentence(bracket, bright).ends_with("too bright for the rest"));
        QVERIFY(
            coverageSentence(bracket, coverageOf(bracket, lightBetween(-20, -1))).ends_with("too dark for the rest"));
        QVERIFY(bright.dispensable.empty());
    }
    void withoutSamplesNothingIsLost()
    {
        const Coverage coverage = coverageOf(bracketOf({0, 2}), {});
        QCOMPARE(coverage.clipped + coverage.dark, 0.0);
        QVERIFY(coverage.dispensable.empty());
    }
};

QTEST_GUILESS_MAIN(TestCoverage)
#include "tst_coverage.moc"
