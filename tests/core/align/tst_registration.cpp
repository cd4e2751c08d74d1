// Transforms between exposures against the truth, easy ones and hard ones.
#include "align/align_frames.h"
#include "align/features.h"
#include "support/handheld.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>
#include <numbers>

using namespace yolk;

namespace {

constexpr int kWidth = 720, kHeight = 480;

/// Frames of a scene under known motions.
struct Set {
    std::vector<Transform> truth;
    std::vector<Image<uint16_t>> codes;
    std::vector<FrameToAlign> frames;

    void add(const Image<float> &seen, double ev, double clipsAt, const Transform &motion = {})
    {
        demo::Shot shot;
        shot.clipsAt = clipsAt * std::exp2(-ev);
        shot.seed = 7 + codes.size();
        truth.push_back(motion);
        codes.push_back(test::codesOf(demo::expose(seen.view(), shot).view()));
        frames.push_back({codes.back().view(), std::exp2(ev), defaultRawNoise(14, 100)});
    }
    std::vector<FrameAlignment> aligned(size_t reference, Runner &runner,
                                        ModelChoice model = ModelChoice::Automatic) const
    {
        ExecContext ctx(runner);
        ExecContext looking = ctx.child({});
        std::vector<Guide> guides;
        for (const FrameToAlign &f : frames)
            guides.push_back(guideOf(f, 3e6, looking));
        return alignFrames(guides, reference, {model, 3e6}, ctx);
    }
    std::vector<FrameAlignment> aligned(size_t reference) const
    {
        ThreadRunner runner(2);
        return aligned(reference, runner);
    }
};

Transform moved(double right, double down, double degrees)
{
    const double a = degrees * std::numbers::pi / 180, c = std::cos(a), s = std::sin(a), x = kWidth / 2.0,
                 y = kHeight / 2.0;
    return {Matrix3{{c, -s, x - c * x + s * y + right, s, c, y - s * x - c * y + down, 0, 0, 1}}};
}

double worst(const FrameAlignment &found, const Transform &truth)
{
    return std::ranges::max(test::gridErrors(found.toReference.transform, truth, kWidth, kHeight));
}

Image<float> seen(const Image<float> &scene, const Transform &motion)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    return test::seenUnder(scene, motion, kWidth, kHeight, ctx);
}

Image<float> scene(unsigned seed)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    return test::wideScene(kWidth, kHeight, seed, ctx);
}

} // namespace

class TestRegistration : public QObject {
    Q_OBJECT

    /// Three frames 2 EV apart, the middle one the reference.
    static Set threeOf(const Image<float> &scene, double clipsAt, const Transform &first, const Transform &last)
    {
        Set out;
        out.add(seen(scene, first), -2, clipsAt, first);
        out.add(seen(scene, {}), 0, clipsAt);
        out.add(seen(scene, last), 2, clipsAt, last);
        return out;
    }

private Q_SLOTS:
    void farShiftsHaveAnInverse()
    {
        const Transform far = moved(5000, -3000, 2.0);
        const Transform back = far.after(far.inverted());
        constexpr double kRounding = 1e-8; // pixels
        QVERIFY(largestDistance(back, {}, 6000, 4000) < kRounding);
        Transform flat;
        flat.m = {{1, 1, 0, 1, 1, 0, 0, 0, 1}};
        QVERIFY_THROWS_EXCEPTION(ArgumentError, static_cast<void>(flat.inverted()));
    }
    void properTransformsKeepThePicture()
    {
        const auto of = [](std::array<double, 9> m) { return Transform{{m}}; };
        QVERIFY(isProper({}, 100, 60) && isProper(moved(500, 10, 40), 100, 60));
        QVERIFY(isProper(of({1, 0, 0, 0, 1, 0, 0.002, 0, 1}), 100, 60));  // strong perspective
        QVERIFY(!isProper(of({-1, 0, 0, 0, 1, 0, 0, 0, 1}), 100, 60));    // mirrored
        QVERIFY(!isProper(of({1, 1, 0, 1, 1, 0, 0, 0, 1}), 100, 60));     // flat
        QVERIFY(!isProper(of({1, 0, 0, 0, 1, 0, -0.02, 0, 1}), 100, 60)); // its right half lies behind
        QVERIFY(!isProper(of({0.05, 0, 0, 0, 0.05, 0, 0, 0, 1}), 100, 60));
        QVERIFY(!isProper(of({NAN, 0, 0, 0, 1, 0, 0, 0, 1}), 100, 60));
    }
    void randomMotionsAreFound_data()
    {
        QTest::addColumn<unsigned>("seed");
        for (unsigned seed = 1; seed <= 6; ++seed)
            QTest::addRow("seed %u", seed) << seed;
    }
    void randomMotionsAreFound() // homographies of up to 5 % of the width; ./run bench align has a hundred larger ones
    {
        QFETCH(unsigned, seed);
        std::mt19937 random(seed);
        const auto motion = [&] { return test::randomMotion(random, kWidth, kHeight, 3.0, 0.05 * kWidth); };
        const Transform first = motion(), last = motion();
        const Set set = threeOf(scene(seed), seed % 2 ? 8.0 : 1.5, first, last);
        const auto found = set.aligned(1);
        for (size_t i : {0, 2}) {
            QVERIFY(found[i].found);
            // A sixth of the pixels of the bench's pictures: the uncertainty is some two and a half times as large.
            QVERIFY2(worst(found[i], set.truth[i]) < 0.25, qPrintable(QString::number(worst(found[i], set.truth[i]))));
        }
    }
    void identicalFramesDoNotMove()
    {
        const Set set = threeOf(scene(2), 1.5, {}, {});
        for (const FrameAlignment &a : set.aligned(1)) {
            QVERIFY(a.found);
            QVERIFY(motionOf(a.toReference.transform, kWidth, kHeight).corners <= 0.02); // the goal
        }
    }
    void theSimplestModelIsTaken()
    {
        const Set shift = threeOf(scene(4), 1.5, moved(7.3, -4.6, 0), moved(-12.2, 3.1, 0));
        const Set turn = threeOf(scene(4), 1.5, moved(7.3, -4.6, 1.2), moved(-12.2, 3.1, -0.7));
        QCOMPARE(shift.aligned(1)[0].toReference.model, MotionModel::Shift);
        QCOMPARE(turn.aligned(1)[0].toReference.model, MotionModel::Rigid);
        // A fixed model is kept to, even where it does not suffice.
        ThreadRunner runner(2);
        ExecContext ctx(runner), looking = ctx.child({});
        std::vector<Guide> guides;
        for (const FrameToAlign &f : turn.frames)
            guides.push_back(guideOf(f, 3e6, looking));
        const auto fixed = refineAlignment(guides, 1, turn.aligned(1), {ModelChoice::Shift, 3e6}, ctx);
        const Motion m = motionOf(fixed[0].toReference.transform, kWidth, kHeight);
        QCOMPARE(m.clockwise, 0.0);
        QVERIFY2(std::hypot(m.right - 7.3, m.down + 4.6) < 9.0,
                 qPrintable(QString::number(m.right))); // as far as corners turn
    }
    void nightFramesWithFewLights() // some lamps in black
    {
        Image<float> dark = test::flat(1200, 900, 0.0003f, 0.0003f, 0.0004f);
        std::mt19937 random(3);
        for (int lamp = 0; lamp < 26; ++lamp) {
            const int cx = int(random() % 1100u) + 50, cy = int(random() % 800u) + 50;
            for (int c = 0; c < 3; ++c)
                for (int y = -9; y <= 9; ++y)
                    for (int x = -9; x <= 9; ++x)
                        dark.row(c, cy + y)[cx + x] += 0.7f * std::exp(-float(x * x + y * y) / 12.0f);
        }
        const Set set = threeOf(dark, 0.5, moved(9, 5, 0.6), moved(-6, 8, -0.4));
        const auto found = set.aligned(1);
        for (size_t i : {0, 2})
            QVERIFY2(found[i].found && worst(found[i], set.truth[i]) < 0.5,
                     qPrintable(QString::number(worst(found[i], set.truth[i]))));
    }
    void flatSkyOverAThinHorizon()
    {
        Image<float> flat(1300, 900, 3);
        std::mt19937 random(5);
        std::vector<float> hills(1300);
        float height = 0.0f;
        for (float &h : hills)
            h = height = 0.97f * height + 2.0f * (float(random() % 1000u) / 500.0f - 1.0f);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 900; ++y)
                for (int x = 0; x < 1300; ++x)
                    flat.row(c, y)[x] = float(y) > 640.0f + hills[size_t(x)] ? 0.05f : 0.6f - 0.0001f * float(y);
        const Set set = threeOf(flat, 1.5, moved(8, -6, 0.5), moved(-11, 4, -0.3));
        const auto found = set.aligned(1);
        for (size_t i : {0, 2}) { // along the horizon itself; far from it nothing can be known
            QVERIFY(found[i].found);
            const Point at{kWidth / 2.0, 370.0}, a = found[i].toReference.transform(at), b = set.truth[i](at);
            QVERIFY2(std::hypot(a.x - b.x, a.y - b.y) < 0.5, qPrintable(QString::number(a.x - b.x)));
        }
    }
    void aLargeSubjectInFrontDoesNotCaptureIt() // two fifths of the picture move by themselves
    {
        const Image<float> behind = scene(4), front = scene(1);
        const auto withSubject = [&](const Transform &camera, int x0) {
            Image<float> out = seen(behind, camera);
            const Image<float> subject = seen(front, {});
            for (int c = 0; c < 3; ++c)
                for (int y = 60; y < 460; ++y)
                    for (int x = 0; x < 340; ++x)
                        out.row(c, y)[x0 + x] = 0.2f * subject.row(c, y)[x];
            return out;
        };
        Set set;
        set.add(withSubject(moved(6, -3, 0.5), 120), -2, 1.5, moved(6, -3, 0.5));
        set.add(withSubject({}, 150), 0, 1.5);
        set.add(withSubject(moved(-5, 7, -0.4), 185), 2, 1.5, moved(-5, 7, -0.4));
        const auto found = set.aligned(1);
        for (size_t i : {0, 2})
            QVERIFY2(found[i].found && worst(found[i], set.truth[i]) < 0.5,
                     qPrintable(QString::number(worst(found[i], set.truth[i]))));
    }
    void strongVignettingStaysWithTheFrame() // two stops at the corners, which do not move with the scene
    {
        demo::Lens lens;
        lens.vignetting = 2.0;
        const Image<float> wide = scene(6);
        const Transform first = moved(14, -9, 1.0), last = moved(-16, 12, -0.8);
        Set set;
        set.add(demo::throughLens(seen(wide, first).view(), lens), -2, 1.5, first);
        set.add(demo::throughLens(seen(wide, {}).view(), lens), 0, 1.5);
        set.add(demo::throughLens(seen(wide, last).view(), lens), 2, 1.5, last);
        const auto found = set.aligned(1);
        for (size_t i : {0, 2})
            QVERIFY2(found[i].found && worst(found[i], set.truth[i]) < 0.25,
                     qPrintable(QString::number(worst(found[i], set.truth[i]))));
    }
    void whatFewPlacesAreSureOfHoldsAtTheFinerLevel() // nine tenths clip in one; two coarse starts end 17 pixels off
    {
        constexpr int kWide = 1800, kHigh = 1200;
        constexpr unsigned kSeed = 43;
        ThreadRunner runner(2);
        ExecContext ctx(runner);
        const Image<float> large = test::wideScene(kWide, kHigh, kSeed, ctx);
        const double clipsAt = test::lightUnder(large, 0.95);
        std::mt19937 random(kSeed);
        Set set;
        for (int i = 0; i < 4; ++i) { // the two brightest of five
            std::uniform_real_distribution<double> corner(0.0, 0.05 * kWide);
            const Transform motion = test::randomMotion(random, kWide, kHigh, 3.0, corner(random));
            if (i < 2)
                continue;
            const double ev = 2.0 * (i - 1);
            demo::Shot shot;
            shot.clipsAt = clipsAt * std::exp2(-ev);
            shot.exposureSeconds = std::exp2(ev) / 32.0;
            shot.seed = kSeed * 100 + unsigned(i) + 1;
            set.truth.push_back(motion);
            set.codes.push_back(
                test::codesOf(demo::expose(test::seenUnder(large, motion, kWide, kHigh, ctx).view(), shot).view()));
            set.frames.push_back({set.codes.back().view(), std::exp2(ev), defaultRawNoise(14, 100)});
        }
        const auto found = set.aligned(0);
        QVERIFY(found[1].found);
        const Transform truth = set.truth[1].after(set.truth[0].inverted());
        const double off = std::ranges::max(test::gridErrors(found[1].toReference.transform, truth, kWide, kHigh));
        QVERIFY2(off < 0.1, qPrintable(QStringLiteral("off by %1 pixels").arg(off)));
    }

    void aFrameOfAnotherSceneIsNotFound()
    {
        Set set = threeOf(scene(2), 1.5, moved(5, 3, 0.4), moved(-4, 6, 0.2));
        set.add(seen(scene(5), {}), 1, 8.0);
        const auto found = set.aligned(1);
        QVERIFY(found[0].found && found[2].found);
        QVERIFY(!found[3].found);
        // Asked for as the reference, it does not turn out the others.
        const auto fromOdd = set.aligned(3);
        QVERIFY(fromOdd[0].found && fromOdd[1].found && fromOdd[2].found && !fromOdd[3].found);
    }
    void aTurnedFrameIsTurnedBack() // as with an orientation tag of its own
    {
        Set set;
        const Image<float> upright = seen(scene(2), {});
        Image<float> turned(kHeight, kWidth, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kWidth; ++y)
                for (int x = 0; x < kHeight; ++x)
                    turned.row(c, y)[x] = upright.row(c, x)[kWidth - 1 - y]; // anticlockwise
        set.add(turned, -2, 1.5, {Matrix3{{0, 1, 0, -1, 0, kWidth, 0, 0, 1}}});
        set.add(upright, 0, 1.5);
        const auto found = set.aligned(1);
        QVERIFY(found[0].found);
        QVERIFY2(worst(found[0], set.truth[0]) < 0.1, qPrintable(QString::number(worst(found[0], set.truth[0]))));
    }
    void refiningKeepsTo()
    {
        const Transform first = moved(7.5, 2.5, 0.8);
        const Set set = threeOf(scene(8), 1.5, first, {});
        ThreadRunner runner(2);
        ExecContext ctx(runner), looking = ctx.child({});
        std::vector<Guide> guides;
        for (const FrameToAlign &f : set.frames)
            guides.push_back(guideOf(f, 3e6, looking));
        auto known = set.aligned(1);
        known[0].toReference.transform = moved(7.0, 3.1, 0.75); // roughly
        known[2].found = false;
        const auto refined = refineAlignment(guides, 1, known, {}, ctx);
        QVERIFY(worst(refined[0], first) < 0.1);
        QVERIFY(!refined[2].found);
        ExecContext again = ctx.child({});
        QVERIFY_THROWS_EXCEPTION(ArgumentError, refineAlignment(guides, 2, known, {}, again));
    }
    void sameBitsForAnyRunner()
    {
        const Set set = threeOf(scene(4), 1.5, moved(5.5, 2.5, 0.7), moved(-3.5, 4, 0.2));
        SerialRunner serial;
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads(2);
        const auto want = set.aligned(1, serial);
        QVERIFY(set.aligned(1, shuffled) == want);
        QVERIFY(set.aligned(1, threads) == want);
    }
    void lookingForShiftsChangesNoPicture() // of those that all pairs share
    {
        const Set set = threeOf(scene(4), 1.5, moved(5.5, 2.5, 0), moved(-3.5, 4, 0));
        SerialRunner serial;
        ExecContext ctx(serial);
        std::vector<Overview> overviews;
        for (const FrameToAlign &f : set.frames)
            overviews.push_back(overviewOf(guideOf(f, 3e6, ctx)));
        const Transform once = likelyShifts(overviews[1], overviews[0]).front();
        QVERIFY(!once.isIdentity());
        likelyShifts(overviews[1], overviews[2]);
        QVERIFY(likelyShifts(overviews[1], overviews[0]).front() == once);
    }
    void tinyPicturesAndStops()
    {
        for (const auto &[width, height] :
             {std::pair(3, 2), std::pair(1, 120), std::pair(120, 1), std::pair(17, 16), std::pair(40, 41)}) {
            Set tiny;
            tiny.add(test::flat(width, height, 0.5f, 0.5f, 0.5f), 0, 1.0);
            tiny.add(test::flat(width, height, 0.5f, 0.5f, 0.5f), 1, 1.0);
            QVERIFY(!tiny.aligned(0)[1].found);
        }
        const Set set = threeOf(scene(2), 1.5, {}, {});
        std::stop_source stop;
        SerialRunner serial;
        ExecContext ctx(serial, stop.get_token()), looking = ctx.child({});
        std::vector<Guide> guides;
        for (const FrameToAlign &f : set.frames)
            guides.push_back(guideOf(f, 3e6, looking));
        stop.request_stop();
        QVERIFY_THROWS_EXCEPTION(Cancelled, alignFrames(guides, 1, {}, ctx));
        ExecContext other(serial);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, alignFrames(guides, 3, {}, other));
    }
};

QTEST_GUILESS_MAIN(TestRegistration)
#include "tst_registration.moc"
