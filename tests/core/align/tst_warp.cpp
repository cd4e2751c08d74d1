// Bringing a frame onto the reference, what it is then good for, and the words for its motion.
#include "align/common_area.h"
#include "align/flow.h"
#include "align/trust.h"
#include "align/warp.h"
#include "io/linear_codes.h"
#include "support/compare.h"
#include "support/near.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>
#include <numbers>

using namespace yolk;

namespace {

Transform shift(double right, double down)
{
    return {Matrix3{{1, 0, right, 0, 1, down, 0, 0, 1}}};
}

/// Waves of 13 and 17 pixels, seen `right` pixels further on.
Image<uint16_t> waves(int width, int height, double right)
{
    Image<uint16_t> out(width, height, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                out.row(c, y)[x] = codeOfLinear(0.4 + 0.2 * std::sin((x + 0.5 + right) * 2 * std::numbers::pi / 13) +
                                                0.1 * std::cos((y + 0.5) * 2 * std::numbers::pi / 17));
    return out;
}

Warped warped(const Image<uint16_t> &codes, const Transform &t, ClippedRim rim = ClippedRim::Drop,
              const Displacements &local = {})
{
    SerialRunner serial;
    ExecContext ctx(serial);
    return warpFrame(codes.view(), t, local, codes.width(), codes.height(), rim, ctx);
}

Image<uint16_t> noisy(double light, double clipsAt, uint64_t seed, int width = 120, int height = 90)
{
    demo::Shot shot;
    shot.clipsAt = clipsAt;
    shot.seed = seed;
    const float v = float(light);
    return test::codesOf(demo::expose(test::flat(width, height, v, v, v).view(), shot).view());
}

} // namespace

class TestWarp : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void wholePixelsAreCopied()
    {
        const Image<uint16_t> codes = waves(70, 90, 0);
        const Warped w = warped(codes, shift(3, -2));
        for (int y = 0; y < 90; ++y)
            for (int x = 0; x < 70; ++x) {
                const bool covered = x + 3 < 70 && y - 2 >= 0;
                QCOMPARE(w.trust.row(0, y)[x], covered ? kBelieved : kNotCovered);
                QCOMPARE(int(w.codes.row(1, y)[x]), covered ? int(codes.row(1, y - 2)[x + 3]) : 0);
            }
    }
    void partsOfPixelsFollowTheTruth() // a Lanczos-3 keeps a wave of 13 pixels to within a thousandth
    {
        const Image<uint16_t> codes = waves(140, 130, 0), truth = waves(140, 130, 0.37);
        const Warped w = warped(codes, shift(0.37, 0));
        for (int y = 4; y < 126; ++y)
            for (int x = 4; x < 136; ++x)
                test::compareNear(double(linearOfCode(w.codes.row(0, y)[x])), double(linearOfCode(truth.row(0, y)[x])),
                                  1e-3);
    }
    void displacementsAddUp()
    {
        Displacements local;
        local.step = 4;
        local.field = Image<float>(35, 33, 2);
        for (int y = 0; y < 33; ++y)
            std::fill_n(local.field.row(0, y), 35, 2.0f);
        const Image<uint16_t> codes = waves(140, 130, 0);
        const Warped a = warped(codes, shift(1, 1), ClippedRim::Drop, local), b = warped(codes, shift(3, 1));
        QCOMPARE(test::firstDifference(a.codes.view(), b.codes.view()), QByteArray());
    }
    void clippedSamplesSpread()
    {
        Image<uint16_t> codes = noisy(0.3, 1.0, 1);
        codes.row(1, 40)[50] = 65535;
        const Warped drop = warped(codes, shift(0.5, 0)), keep = warped(codes, shift(0.5, 0), ClippedRim::Believe);
        for (const auto &[x, y] : {std::pair(50, 40), std::pair(49, 40), std::pair(47, 38), std::pair(52, 42)})
            QCOMPARE(drop.trust.row(0, y)[x], kBesideClipped);
        QCOMPARE(drop.trust.row(0, 40)[60], kBelieved);
        QCOMPARE(keep.trust.row(0, 40)[50], kBelieved);
        // No ring beside it: what surrounds it stays within what noise makes.
        for (int x : {44, 45, 46, 47, 54, 55, 56})
            QVERIFY(std::abs(double(linearOfCode(keep.codes.row(1, 40)[x])) - 0.3) < 0.03);
    }
    void sameBitsForAnyRunnerAndErrors()
    {
        const Image<uint16_t> codes = waves(137, 200, 0);
        const Transform turn{Matrix3{{0.999, -0.02, 3.3, 0.02, 0.999, -1.7, 1e-6, -2e-6, 1}}};
        const Warped want = warped(codes, turn);
        test::ShuffledRunner shuffled(3);
        ThreadRunner threads(2);
        for (Runner *runner : std::initializer_list<Runner *>{&shuffled, &threads}) {
            ExecContext ctx(*runner);
            const Warped got = warpFrame(codes.view(), turn, {}, 137, 200, ClippedRim::Drop, ctx);
            QCOMPARE(test::firstDifference(got.codes.view(), want.codes.view()), QByteArray());
            QCOMPARE(test::firstDifference(got.trust.view(), want.trust.view()), QByteArray());
        }
        SerialRunner serial;
        ExecContext ctx(serial);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, warpFrame({}, {}, {}, 4, 4, ClippedRim::Drop, ctx));
        const Transform nowhere{Matrix3{{1, 0, NAN, 0, 1, 0, 0, 0, 1}}};
        QCOMPARE(warped(codes, nowhere).trust.row(0, 5)[5], kNotCovered);
    }
    void noiseAloneIsBelieved()
    {
        const Image<uint16_t> a = noisy(0.02, 1.0, 1), b = noisy(0.02, 0.25, 2);
        SerialRunner serial;
        ExecContext ctx(serial);
        const NoiseModel noise = defaultRawNoise(14, 100);
        const Image<uint8_t> trust = doubted({a.view(), {}, 1.0, noise}, {b.view(), {}, 4.0, noise}, ctx);
        long long doubts = 0;
        for (int y = 0; y < 90; ++y)
            doubts += std::count_if(trust.row(0, y), trust.row(0, y) + 120, [](uint8_t t) { return t < kBelieved; });
        QVERIFY2(doubts < 120 * 90 / 1000, qPrintable(QString::number(doubts)));
    }
    void whatContradictsIsNot()
    {
        const NoiseModel noise = defaultRawNoise(14, 100);
        Image<uint16_t> a = noisy(0.2, 1.0, 1), b = noisy(0.2, 1.0, 2);
        const auto paint = [](Image<uint16_t> &in, int x0, double value) {
            for (int c = 0; c < 3; ++c)
                for (int y = 30; y < 60; ++y)
                    std::fill_n(in.row(c, y) + x0, 20, codeOfLinear(value));
        };
        paint(a, 10, 0.3); // another light
        paint(b, 50, 1.0); // clipped, and yet dark in the other
        paint(a, 90, 1.0); // clips in both: says nothing
        paint(b, 90, 1.0);
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<uint8_t> trust = doubted({a.view(), {}, 1.0, noise}, {b.view(), {}, 1.0, noise}, ctx);
        QCOMPARE(trust.row(0, 45)[20], kNotBelieved);
        QCOMPARE(trust.row(0, 45)[60], kNotBelieved);
        QCOMPARE(trust.row(0, 45)[100], kBelieved);
        QCOMPARE(trust.row(0, 10)[20], kBelieved);
        const Image<uint16_t> small(5, 5, 3);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, doubted({a.view(), {}, 1, noise}, {small.view(), {}, 1, noise}, ctx));
    }
    void
    flowContinuesAmongLikeTones() // a dark door frame moves by 5, the bright yard by 1; the yard's sky is not known
    {
        Image<float> flow(320, 200, 2), belief(320, 200, 1), tone(320, 200, 1);
        for (int y = 0; y < 200; ++y)
            for (int x = 0; x < 320; ++x) {
                const bool dark = x < 80 || x >= 240;
                tone.row(0, y)[x] = dark ? -6.0f : 2.0f;
                belief.row(0, y)[x] = dark || y > 150 ? 1.0f : 0.0f;
                flow.row(0, y)[x] = dark ? 5.0f : y > 150 ? 1.0f : 99.0f;
            }
        ThreadRunner runner;
        ExecContext ctx(runner);
        continueFlow(flow.view(), belief.view(), tone.view(), ctx);
        for (const auto &[x, y] : {std::pair(160, 20), std::pair(85, 10), std::pair(230, 100)})
            test::compareNear(double(flow.row(0, y)[x]), 1.0, 0.05);
        QCOMPARE(flow.row(0, 20)[40], 5.0f);
    }
    void displacementsGoOnBesideAnotherTransform()
    {
        Displacements small{Image<float>(30, 20, 2), 2.0};
        for (int y = 0; y < 20; ++y)
            for (int x = 0; x < 30; ++x) {
                small.field.row(0, y)[x] = 0.1f * float(x);
                small.field.row(1, y)[x] = -0.2f * float(y);
            }
        const Transform before{Matrix3{{1.01, 0.002, 3, -0.001, 0.99, -2, 1e-6, 0, 1}}},
            after{Matrix3{{1, 0, 2.5, 0, 1, -1.5, 0, 0, 1}}};
        const Displacements large = enlarged(small, 4.0, before, after);
        QCOMPARE(large.step, 8.0);
        for (const auto &[x, y] : {std::pair(4.0, 4.0), {100.0, 60.0}, {200.0, 140.0}}) { // middles of blocks
            const Point a = before({x, y}), b = after({x, y}), was = small.at({x / 4.0, y / 4.0}),
                        is = large.at({x, y});
            test::compareNear(b.x + is.x, a.x + 4.0 * was.x, 1e-4);
            test::compareNear(b.y + is.y, a.y + 4.0 * was.y, 1e-4);
        }
    }
    void flowCorrectionClosesTheRest()
    {
        Image<float> still(160, 120, 1), moved(160, 120, 1), tone(160, 120, 1);
        Image<uint8_t> valid(160, 120, 1);
        const auto at = [](double x, double y) { return float(0.2 * std::sin(x / 3) + 0.2 * std::cos(y / 4)); };
        for (int y = 0; y < 120; ++y)
            for (int x = 0; x < 160; ++x) {
                still.row(0, y)[x] = at(x, y);
                moved.row(0, y)[x] = at(x - 0.3, y + 0.2); // what lies at x was found at x - 0.3
                valid.row(0, y)[x] = 1;
            }
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Image<float> step = flowCorrection(still.view(), moved.view(), valid.view(), tone.view(), ctx);
        test::compareNear(double(step.row(0, 60)[80]), 0.3, 0.06); // one step of least squares on a wave
        test::compareNear(double(step.row(1, 60)[80]), -0.2, 0.06);
    }
    void motionsInNumbers()
    {
        const double a = 0.4 * std::numbers::pi / 180, c = 1.01 * std::cos(a), s = 1.01 * std::sin(a);
        // Turned and enlarged about the middle of 600 x 400, then 12 right and 3 up.
        const Transform t{Matrix3{{c, -s, 300 - c * 300 + s * 200 + 12, s, c, 200 - s * 300 - c * 200 - 3, 0, 0, 1}}};
        const Motion m = motionOf(t, 600, 400);
        test::compareNear(m.right, 12, 1e-9);
        test::compareNear(m.down, -3, 1e-9);
        test::compareNear(m.clockwise, 0.4, 1e-9);
        test::compareNear(m.scale, 1.01, 1e-9);
        const Point p{37, 211}, back = t.inverted()(t(p)), twice = t.scaled(2)({74, 422});
        test::compareNear(std::hypot(back.x - p.x, back.y - p.y), 0, 1e-9);
        test::compareNear(std::hypot(twice.x - 2 * t(p).x, twice.y - 2 * t(p).y), 0, 1e-9);
        QVERIFY(t.inverted().after(t).isIdentity() || largestDistance(t.inverted().after(t), {}, 600, 400) < 1e-9);
    }
    void commonAreaLiesInAll()
    {
        const std::array<Placed, 2> frames{Placed{shift(12.5, -3), 600, 400}, Placed{shift(-4, 0), 600, 400}};
        const Rect r = commonArea(600, 400, frames);
        QCOMPARE(r, (Rect{5, 4, 587, 399})); // with a pixel of room in each frame
        const std::array<Placed, 1> away{Placed{shift(5000, 0), 600, 400}};
        QCOMPARE(commonArea(600, 400, away).width(), 1);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, commonArea(0, 4, frames));
    }
};

QTEST_GUILESS_MAIN(TestWarp)
#include "tst_warp.moc"
