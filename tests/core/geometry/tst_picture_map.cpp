// The map between a picture and its reference frame, the warp through it, and what makes lines straight.
#include "base/errors.h"
#include "geometry/straighten.h"
#include "geometry/warp_light.h"
#include "support/compare.h"
#include "support/runners.h"

#include <QTest>

#include <cmath>
#include <numbers>
#include <random>

using namespace yolk;

namespace {

constexpr int kWidth = 1500, kHeight = 1000;

GeometrySettings randomSettings(std::mt19937 &random)
{
    std::uniform_real_distribution<double> unit(-1.0, 1.0);
    GeometrySettings s;
    s.angle = 8.0 * unit(random);
    s.tilt = 12.0 * unit(random);
    s.swing = 12.0 * unit(random);
    s.strength = 50.0 + 50.0 * std::abs(unit(random));
    s.distortion = 8.0 * unit(random);
    s.turn = QuarterTurn(random() % 4);
    s.flip = random() % 2;
    s.bendAcross = 4.0 * unit(random);
    s.bendDown = 4.0 * unit(random);
    return s;
}

/// A picture of a soft edge at an angle, one plane of it three times.
template <class Value> Image<float> drawn(int width, int height, Value &&value)
{
    Image<float> out(width, height, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                out.row(c, y)[x] = float(value(x + 0.5, y + 0.5));
    return out;
}

RealRect whole(const Image<float> &image)
{
    return {0, 0, double(image.width()), double(image.height())};
}

Image<float> warped(const Image<float> &image, const GeometrySettings &settings)
{
    SerialRunner runner;
    ExecContext ctx(runner);
    const PictureMap map(settings, image.width(), image.height());
    return warpLight(image.view(), whole(image), map, {0, 0, double(map.width()), double(map.height())}, whole(image),
                     map.width(), map.height(), false, ctx);
}

} // namespace

class TestPictureMap : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void nothingAskedForIsNothingDone()
    {
        const PictureMap map({}, kWidth, kHeight);
        QVERIFY(map.isIdentity());
        QCOMPARE(map.toReference({12.25, 7.5}), (Point{12.25, 7.5}));
        GeometrySettings none;
        none.tilt = 20.0;
        none.strength = 0.0;
        QVERIFY(PictureMap(none, kWidth, kHeight).isIdentity());
        QVERIFY_THROWS_EXCEPTION(ArgumentError, PictureMap({}, 0, 10));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, PictureMap({}, 10, 10, 0.0));
    }
    void thereAndBack() // 100 random changes: places stay on the scene
    {
        std::mt19937 random(7);
        std::uniform_real_distribution<double> across(0.05, 0.95);
        double worst = 0.0;
        for (int i = 0; i < 100; ++i) {
            const PictureMap map(randomSettings(random), kWidth, kHeight);
            for (int k = 0; k < 20; ++k) {
                const Point p{kWidth * across(random), kHeight * across(random)};
                const Point back = map.toReference(map.toPicture(p));
                worst = std::max(worst, std::hypot(back.x - p.x, back.y - p.y));
            }
        }
        QVERIFY2(worst < 1e-6, qPrintable(QString::number(worst))); // pixels: Newton's method ends there
    }
    void aTurnIsExact() // 0.3 degrees to 0.001
    {
        GeometrySettings s;
        s.angle = 0.3;
        const PictureMap map(s, kWidth, kHeight);
        const Point a = map.toPicture({100, 500}), b = map.toPicture({1400, 500});
        const double degrees = std::atan2(b.y - a.y, b.x - a.x) * 180.0 / std::numbers::pi;
        QVERIFY(std::abs(degrees - 0.3) < 1e-9); // clockwise: what was level falls to the right
        QVERIFY(std::abs(std::hypot(b.x - a.x, b.y - a.y) - 1300.0) < 1e-9);
    }
    void quarterTurnsAndMirrorsTakePixelsToPixels()
    {
        const Image<float> image = drawn(6, 4, [](double x, double y) { return 0.01 * (10 * x + y); });
        GeometrySettings s;
        s.turn = QuarterTurn::Right;
        const Image<float> right = warped(image, s);
        QCOMPARE(right.shape(), (Shape{4, 6, 3}));
        QCOMPARE(right.row(0, 0)[3], image.row(0, 0)[0]); // the upper left corner comes to the upper right one
        QCOMPARE(right.row(0, 5)[0], image.row(0, 3)[5]);
        s = {};
        s.flip = true;
        const Image<float> mirrored = warped(image, s);
        QCOMPARE(mirrored.row(0, 1)[0], image.row(0, 1)[5]);
        s.turn = QuarterTurn::Half;
        const Image<float> both = warped(image, s); // upside down, then mirrored: only above and below change
        QCOMPARE(both.row(0, 0)[0], image.row(0, 3)[0]);
    }
    void wallsStandUpright() // as a camera that was tilted by so much saw them
    {
        const double f = kUsualFocal * kWidth, tilt = 9.0 * std::numbers::pi / 180.0;
        const auto seen = [&](double x, double y, double z) { // a camera that looks up by the tilt; y down
            const double v = std::cos(tilt) * y + std::sin(tilt) * z, w = -std::sin(tilt) * y + std::cos(tilt) * z;
            return Point{0.5 * kWidth + f * x / w, 0.5 * kHeight + f * v / w};
        };
        GeometrySettings s;
        s.tilt = 9.0;
        const PictureMap map(s, kWidth, kHeight);
        for (const double x : {-2.0, -0.5, 1.5}) {
            const Point low = map.toPicture(seen(x, 0.5, 5.0)), high = map.toPicture(seen(x, -3.0, 5.0));
            QVERIFY2(std::abs(low.x - high.x) < 1e-6, qPrintable(QString::number(low.x - high.x)));
            QVERIFY(low.y > high.y);
        }
        const Point middle = map.toPicture({0.5 * kWidth, 0.5 * kHeight});
        QVERIFY(std::hypot(middle.x - 0.5 * kWidth, middle.y - 0.5 * kHeight) < 1e-6);
    }
    void theCropNeverHasEmptyCorners()
    {
        std::mt19937 random(11);
        const RealRect frame{0, 0, kWidth, kHeight};
        for (int i = 0; i < 100; ++i) {
            const PictureMap map(randomSettings(random), kWidth, kHeight);
            const RealRect all{0, 0, double(map.width()), double(map.height())};
            const RealRect cut = map.covered(all, frame);
            QVERIFY(map.isCovered(cut, frame));
            QVERIFY(cut.x1 - cut.x0 > 0.3 * map.width());
            const double wanted = double(map.width()) / map.height();
            QVERIFY(std::abs((cut.x1 - cut.x0) / (cut.y1 - cut.y0) - wanted) < 1e-6);
            // No larger one of its kind is: half a percent more reaches beyond.
            const double w = 0.0025 * (cut.x1 - cut.x0), h = 0.0025 * (cut.y1 - cut.y0);
            QVERIFY(!map.isCovered({cut.x0 - w, cut.y0 - h, cut.x1 + w, cut.y1 + h}, frame));
        }
        GeometrySettings s;
        s.angle = 5.0;
        const PictureMap map(s, kWidth, kHeight);
        const RealRect corner = map.covered({0, 0, 200, 100}, frame); // beyond the frame: comes in
        QVERIFY(map.isCovered(corner, frame) && corner.x1 - corner.x0 > 10.0);
    }
    void aTurnKeepsWhatIsSharp() // MTF50 of an edge at least 0.95 of that without
    {
        // An edge as a lens and pixels leave it, 6 degrees from upright; its spread is read along the normal.
        const double lean = 6.0 * std::numbers::pi / 180.0;
        const auto edge = [&](double x, double y) {
            const double d = (x - 150.0) * std::cos(lean) + (y - 150.0) * std::sin(lean);
            return 0.1 + 0.8 * 0.5 * std::erfc(-d / (0.55 * std::numbers::sqrt2));
        };
        const Image<float> image = drawn(300, 300, edge);
        GeometrySettings s;
        s.angle = 1.0;
        const Image<float> turned = warped(image, s);
        const double a = mtf50(image, lean), b = mtf50(turned, lean + std::numbers::pi / 180.0);
        QVERIFY2(b >= 0.95 * a, qPrintable(QStringLiteral("%1 of %2").arg(b).arg(a)));
    }
    void noRingingBesideAHardEdge() // of ten stops: at most 1 % of the display
    {
        const Image<float> image =
            drawn(200, 200, [](double x, double y) { return x + 0.2 * y < 120.0 ? 0.001 : 0.95; });
        for (const double angle : {0.3, 1.0, 7.0}) {
            GeometrySettings s;
            s.angle = angle;
            const Image<float> turned = warped(image, s);
            for (int y = 30; y < 170; ++y)
                for (int x = 30; x < 170; ++x)
                    QVERIFY(turned.row(0, y)[x] >= 0.001f - 1e-6f && turned.row(0, y)[x] <= 0.95f + 1e-6f);
        }
    }
    void sameBitsForAnyRunner()
    {
        std::mt19937 random(3);
        const GeometrySettings s = randomSettings(random);
        const Image<float> image = drawn(150, 170, [](double x, double y) { return std::abs(std::sin(x * 0.3 + y)); });
        const PictureMap map(s, 150, 170);
        const auto with = [&](Runner &runner) {
            ExecContext ctx(runner);
            return warpLight(image.view(), whole(image), map, {0, 0, double(map.width()), double(map.height())},
                             whole(image), map.width(), map.height(), false, ctx);
        };
        SerialRunner serial;
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads;
        const Image<float> want = with(serial);
        QCOMPARE(test::firstDifference(with(shuffled).view(), want.view(), 0.0, 0.0), QByteArray());
        QCOMPARE(test::firstDifference(with(threads).view(), want.view(), 0.0, 0.0), QByteArray());
    }
    void linesThatAreDrawnBecomeStraight()
    {
        // A camera that was turned every way by a little: its uprights and levels.
        std::mt19937 random(5);
        std::uniform_real_distribution<double> unit(-1.0, 1.0);
        for (int i = 0; i < 20; ++i) {
            GeometrySettings truth;
            truth.angle = 4.0 * unit(random);
            truth.tilt = 8.0 * unit(random);
            truth.swing = 8.0 * unit(random);
            const PictureMap map(truth, kWidth, kHeight);
            const auto line = [&](double x0, double y0, double x1, double y1) {
                return SceneLine{map.toReference({x0, y0}), map.toReference({x1, y1})};
            };
            const std::vector<SceneLine> lines{line(300, 200, 300, 800), line(1200, 150, 1200, 900),
                                               line(200, 250, 1300, 250), line(250, 850, 1350, 850)};
            const auto one =
                straightened({}, std::span(lines).first(1), Straightening::All, kWidth, kHeight, kUsualFocal);
            QVERIFY(one && one->tilt == 0.0 && one->swing == 0.0); // one line tells no more than an angle
            const PictureMap level(*one, kWidth, kHeight);
            QVERIFY(std::abs(level.toPicture(lines[0].a).x - level.toPicture(lines[0].b).x) < 1e-3);
            const auto all = straightened({}, lines, Straightening::All, kWidth, kHeight, kUsualFocal);
            QVERIFY(all);
            QVERIFY2(std::abs(all->angle - truth.angle) < 1e-3, qPrintable(QString::number(all->angle - truth.angle)));
            QVERIFY(std::abs(all->tilt - truth.tilt) < 1e-2 && std::abs(all->swing - truth.swing) < 1e-2);
        }
        QVERIFY(!straightened({}, {}, Straightening::All, kWidth, kHeight, kUsualFocal));
        const std::vector<SceneLine> none{{{5, 5}, {5, 5}}};
        QVERIFY(!straightened({}, none, Straightening::All, kWidth, kHeight, kUsualFocal));
    }
    void linesAreFoundAndMostOfThemAgree()
    {
        SerialRunner runner;
        ExecContext ctx(runner);
        std::mt19937 random(9);
        std::uniform_real_distribution<double> unit(-1.0, 1.0);
        int right = 0;
        constexpr int kTrials = 20;
        for (int trial = 0; trial < kTrials; ++trial) {
            GeometrySettings truth;
            truth.angle = 3.0 * unit(random);
            truth.tilt = trial % 2 ? 6.0 * unit(random) : 0.0;
            const PictureMap map(truth, 600, 400);
            // Boards and a slanting roof, with noise.
            std::normal_distribution<double> noise(0.0, 0.01);
            Image<float> seen(600, 400, 1);
            for (int y = 0; y < 400; ++y)
                for (int x = 0; x < 600; ++x) {
                    const Point p = map.toPicture({x + 0.5, y + 0.5});
                    double v = 0.4 + 0.15 * std::tanh(std::sin(p.x * 0.09) * 8.0);
                    v += p.y > 300 ? -0.2 : 0.0;
                    if (p.y < 120 - 0.45 * std::abs(p.x - 300))
                        v = 0.75;
                    seen.row(0, y)[x] = float(v + noise(random));
                }
            const auto lines = findLines(seen.view(), ctx);
            QVERIFY(lines.size() > 5);
            const auto found = straightenedByMost({}, lines, Straightening::Verticals, 600, 400, kUsualFocal);
            QVERIFY(found);
            right += std::abs(found->angle - truth.angle) < 0.1 && std::abs(found->tilt - truth.tilt) < 0.6;
        }
        QVERIFY2(right >= 19, qPrintable(QString::number(right))); // 95 %
    }
    void whereNoLineSpeaksNothingIsDone()
    {
        SerialRunner runner;
        ExecContext ctx(runner);
        const Image<float> hills = [] {
            Image<float> out(600, 400, 1);
            for (int y = 0; y < 400; ++y)
                for (int x = 0; x < 600; ++x)
                    out.row(0, y)[x] = float(0.5 + 0.3 * std::sin(x * 0.02) * std::cos(y * 0.03 + 0.01 * x));
            return out;
        }();
        QVERIFY(!straightenedByMost({}, findLines(hills.view(), ctx), Straightening::All, 600, 400, kUsualFocal));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, findLines(Image<float>(8, 8, 1).view(), ctx));
    }

private:
    /// Cycles per pixel at which the contrast of an edge falls to half, from its profile along the normal.
    static double mtf50(const Image<float> &image, double lean)
    {
        constexpr double kBin = 0.25;
        constexpr int kBins = 128;
        std::vector<double> sum(kBins, 0.0), count(kBins, 0.0);
        for (int y = 110; y < 190; ++y)
            for (int x = 110; x < 190; ++x) {
                const double d = (x + 0.5 - 150.0) * std::cos(lean) + (y + 0.5 - 150.0) * std::sin(lean);
                const int bin = int(std::floor(d / kBin)) + kBins / 2;
                if (bin >= 0 && bin < kBins) {
                    sum[size_t(bin)] += image.row(0, y)[x];
                    count[size_t(bin)] += 1.0;
                }
            }
        std::vector<double> spread; // of a line
        for (int i = 1; i < kBins; ++i)
            spread.push_back(count[size_t(i)] > 0.0 && count[size_t(i - 1)] > 0.0
                                 ? sum[size_t(i)] / count[size_t(i)] - sum[size_t(i - 1)] / count[size_t(i - 1)]
                                 : 0.0);
        const auto contrast = [&](double cycles) {
            double re = 0.0, im = 0.0, all = 0.0;
            for (size_t i = 0; i < spread.size(); ++i) {
                const double phase = 2.0 * std::numbers::pi * cycles * kBin * double(i);
                re += spread[i] * std::cos(phase);
                im += spread[i] * std::sin(phase);
                all += spread[i];
            }
            return std::hypot(re, im) / all;
        };
        double cycles = 0.01;
        while (cycles < 0.6 && contrast(cycles) > 0.5)
            cycles += 0.001;
        return cycles;
    }
};

QTEST_GUILESS_MAIN(TestPictureMap)
#include "tst_picture_map.moc"
