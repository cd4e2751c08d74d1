// What an inspection of the merge shows.
#include "colour/transfer.h"
#include "render/files/output.h"
#include "render/files/radiance_export.h"
#include "render/render.h"
#include "render/views/inspect.h"
#include "support/compare.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

class TestInspect : public QObject {
    Q_OBJECT
    static constexpr int kWidth = 256, kHeight = 64;
    static constexpr double kFirst = 0.002, kStops = 12.0;
    QTemporaryDir dir_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;
    ThreadRunner runner_;

    Inspected seen(const Inspection &look, RenderRequest request = {1, {}, kWidth, kHeight})
    {
        ExecContext ctx(runner_);
        return inspect(sources_, recipe_, measured_, request, look, ctx);
    }
    MergedPtr merged()
    {
        ExecContext ctx(runner_);
        return mergedOf(RenderPlan(sources_, measured_, recipe_), 1, ctx);
    }
    double evAt(int x)
    {
        ExecContext ctx(runner_);
        const PicturePtr scene = sceneOf(RenderPlan(sources_, measured_, recipe_), {1, {}, kWidth, kHeight}, ctx);
        return evOfLuminance(0.2627 * double(scene->row(0, 32)[x]) + 0.678 * double(scene->row(1, 32)[x]) +
                             0.0593 * double(scene->row(2, 32)[x]));
    }

private Q_SLOTS:
    void initTestCase()
    {
        // A ramp of grey light from dark to bright; its brightest part clips in every frame.
        Image<float> scene(kWidth, kHeight, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    scene.row(c, y)[x] = float(kFirst * std::exp2(kStops * x / (kWidth - 1)));
        const QStringList paths = test::writeBracket(dir_.path(), scene.view(), {-2, 0, 2}, 1.0, demo::FrameFile::Tiff);
        sources_.cache = std::make_shared<StageCache>(size_t(1) << 28);
        for (const QString &path : paths)
            sources_.frames.push_back(loadFrame(path.toStdString()));
        ExecContext ctx(runner_);
        recipe_.prepare.darkNoise = 0;
        measured_ = analyse(sources_, recipe_, ctx);
        recipe_.tone = automaticTone(measured_.tone);
    }
    void lightIsLinearUnderItsExposure()
    {
        const Inspected now = seen({InspectMode::Light, 0.0}), brighter = seen({InspectMode::Light, 1.0});
        for (int x = 10; x < kWidth; x += 7) {
            const float a = now.display.row(1, 32)[x], b = brighter.display.row(1, 32)[x];
            const double want = 0.18 * std::exp2(evAt(x));
            QVERIFY(std::abs(double(a) - std::min(1.0, want)) < 0.002 + 0.01 * want);
            QVERIFY(std::abs(b - std::min(1.0f, 2.0f * a)) < 1e-4f || a > 0.49f);
            QCOMPARE(int(now.hatch.row(0, 32)[x]), 0);
        }
    }
    void peekSpreadsItsWindowOverTheDisplay()
    {
        const Inspected view = seen({InspectMode::Peek, 0.0, -4.0, -1.0});
        int within = 0;
        for (int x = 0; x < kWidth; ++x) {
            const double ev = evAt(x), coded = encodeSrgb(double(view.display.row(1, 32)[x]));
            const Hatch hatch = Hatch(view.hatch.row(0, 32)[x]);
            if (ev > -0.99)
                QCOMPARE(hatch, Hatch::Above);
            else if (ev < -4.01)
                QCOMPARE(hatch, Hatch::Below);
            else if (ev > -3.99 && ev < -1.01) {
                QCOMPARE(hatch, Hatch::None);
                // Even steps of lightness: 0.06 at the lower edge to 0.94 at the upper one.
                QVERIFY2(std::abs(coded - (0.06 + 0.88 * (ev + 4.0) / 3.0)) < 0.01, qPrintable(QString::number(ev)));
                ++within;
            }
        }
        QVERIFY(within > 40);
        ExecContext ctx(runner_);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, inspect(sources_, recipe_, measured_, {1, {}, kWidth, kHeight},
                                                        {InspectMode::Peek, 0.0, -1.0, -1.2}, ctx));
    }
    void faintMarksShow()
    {
        // A disc that lacks 3 % of smooth light, against the same light without it.
        QTemporaryDir dir;
        const auto seenOf = [&](double depth) {
            Image<float> scene(kWidth, kHeight, 3);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < kHeight; ++y)
                    for (int x = 0; x < kWidth; ++x)
                        scene.row(c, y)[x] = float(0.2 * std::exp2(x / 256.0) *
                                                   (std::hypot(x + 0.5 - 128, y + 0.5 - 32) < 5.0 ? 1.0 - depth : 1.0));
            const QStringList paths = test::writeBracket(dir.path(), scene.view(), {0}, 1.0, demo::FrameFile::Tiff);
            Sources one{{loadFrame(paths[0].toStdString())}, std::make_shared<StageCache>(size_t(1) << 28)};
            ThreadRunner runner;
            ExecContext ctx(runner);
            const Measured measured = analyse(one, {}, ctx);
            return inspect(one, {}, measured, {1, {}, kWidth, kHeight}, {InspectMode::Faint}, ctx);
        };
        const auto within = [](const Inspected &view, int x) {
            double sum = 0.0;
            for (int y = 29; y < 36; ++y)
                for (int u = x - 3; u < x + 4; ++u)
                    sum += double(view.display.row(1, y)[u]) / 49.0;
            return sum;
        };
        const Inspected marked = seenOf(0.03), clean = seenOf(0.0);
        QVERIFY(within(marked, 128) < 0.75 * within(marked, 100));
        QVERIFY(std::abs(within(clean, 128) / within(clean, 100) - 1.0) < 0.1);
        for (int x = 0; x < kWidth; ++x)
            QCOMPARE(marked.display.row(0, 20)[x], marked.display.row(2, 20)[x]);
    }
    void sourcesShowTheShares()
    {
        const Inspected view = seen({InspectMode::Sources});
        const MergedPtr set = merged();
        for (int x = 4; x < kWidth; x += 9) {
            if (set->pixels.clipped.row(0, 32)[x])
                continue;
            Vector3 want{};
            for (int i = 0; i < 3; ++i)
                for (size_t c = 0; c < 3; ++c)
                    want[c] += set->pixels.shares.row(i, 32)[x] / 255.0 * sourceColour(i, 3)[c];
            // Under a shade that is the same for the three channels.
            const double shade = double(view.display.row(1, 32)[x]) / want[1];
            QVERIFY(shade > 0.5 && shade <= 1.01);
            for (int c : {0, 2})
                QVERIFY(std::abs(double(view.display.row(c, 32)[x]) - shade * want[size_t(c)]) < 0.01);
        }
    }
    void noiseIsInStopsOfTheMergesOwnVariance()
    {
        const Inspected view = seen({InspectMode::Noise});
        const MergedPtr set = merged();
        double least = 1e9, most = -1e9;
        for (int x = 0; x < kWidth; x += 5) {
            if (set->pixels.clipped.row(0, 32)[x])
                continue;
            // Grey: the three channels have one value and one variance; luminance weighs them.
            double light = 0.0, variance = 0.0;
            for (int k = 0; k < 3; ++k) {
                double w = 0.0;
                for (int c = 0; c < 3; ++c)
                    w += double(kLuminance2020[size_t(c)]) * set->colour.toRec2020(c, k);
                light += w * double(set->pixels.radiance.row(k, 32)[x]);
                variance += w * w * double(ofBrief(set->pixels.variance.row(k, 32)[x]));
            }
            const double stops = std::log2(light / std::sqrt(variance));
            least = std::min(least, stops);
            most = std::max(most, stops);
            const Vector3 want = noiseColour(stops);
            for (int c = 0; c < 3; ++c)
                QVERIFY(std::abs(double(view.display.row(c, 32)[x]) - want[size_t(c)]) < 1e-5);
        }
        QVERIFY(least < 6.0 && most > 7.0); // the ramp shows several of the steps
        QVERIFY(noiseColour(2.0) == noiseColour(2.9) && noiseColour(2.9) != noiseColour(3.0));
        QVERIFY(noiseColour(-5.0) == noiseColour(0.5) && noiseColour(40.0) == noiseColour(8.0));
    }
    void clippedIsSeenHoweverSmall()
    {
        const MergedPtr set = merged();
        QVERIFY(set->clippedShare > 0.05 && set->clippedShare < 0.4);
        const Inspected full = seen({InspectMode::Clipped});
        for (int x = 0; x < kWidth; ++x)
            QCOMPARE(full.hatch.row(0, 32)[x] != 0, set->pixels.clipped.row(0, 32)[x] != 0);
        // In a view a quarter of the size a pixel is marked where any of its 16 is.
        const Inspected small = seen({InspectMode::Clipped}, {1, {}, kWidth / 4, kHeight / 4});
        for (int y = 0; y < kHeight / 4; ++y)
            for (int x = 0; x < kWidth / 4; ++x) {
                bool any = false;
                for (int v = 4 * y; v < 4 * y + 4; ++v)
                    for (int u = 4 * x; u < 4 * x + 4; ++u)
                        any = any || set->pixels.clipped.row(0, v)[u] != 0;
                QCOMPARE(small.hatch.row(0, y)[x] == uint8_t(Hatch::Clipped), any);
            }
    }
    void coloursAreToldApart()
    {
        for (int count : {2, 3, 9, 15})
            for (int i = 1; i < count; ++i) { // each lighter than the one before
                const auto lightness = [&](int k) {
                    const Vector3 c = sourceColour(k, count);
                    return 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
                };
                QVERIFY(lightness(i) > lightness(i - 1));
            }
    }
    void ofARadianceFileTheNoiseIsUnknown()
    {
        const std::string path = dir_.filePath("merged.exr").toStdString();
        writeExr(path, test::rampScene(40, 30, 0.01, 8).view(), {});
        const Sources one{{loadFrame(path)}, std::make_shared<StageCache>(size_t(1) << 26)};
        ExecContext ctx(runner_);
        const Measured measured = analyse(one, {}, ctx);
        QVERIFY(!mergedOf(RenderPlan(one, measured, {}), 1, ctx)->noiseKnown());
        const Inspected view = inspect(one, {}, measured, {1, {}, 40, 30}, {InspectMode::Noise}, ctx);
        for (int c = 1; c < 3; ++c) // grey, of no legend
            QCOMPARE(view.display.row(c, 10)[10], view.display.row(0, 10)[10]);
        Recipe recipe;
        recipe.radiance.variance = Extra::On;
        const std::string again = dir_.filePath("again.exr").toStdString();
        exportRadiance(one, recipe, measured, again, ctx);
        QVERIFY(!test::bytesOf(QString::fromStdString(again)).contains("variance"));
        QCOMPARE(test::firstDifference(readExr(again).rgb.view(), readExr(path).rgb.view(), 1e-6, 1e-5), QByteArray());
    }
    void anotherInfluenceDecodesNothingAgain()
    {
        Sources kept{sources_.frames, std::make_shared<StageCache>(size_t(1) << 28), true};
        ExecContext ctx(runner_);
        const MergedPtr before = mergedOf(RenderPlan(kept, measured_, recipe_), 1, ctx);
        for (const FramePtr &f : kept.frames)
            QVERIFY(QFile::rename(QString::fromStdString(f->path), QString::fromStdString(f->path + ".away")));
        Recipe other = recipe_;
        other.frames.influence[kept.frames[0]->id] = 0.25;
        const MergedPtr after = mergedOf(RenderPlan(kept, measured_, other), 1, ctx); // without its files
        for (const FramePtr &f : kept.frames)
            QVERIFY(QFile::rename(QString::fromStdString(f->path + ".away"), QString::fromStdString(f->path)));
        QVERIFY(after->agreement[0].share < before->agreement[0].share);
        QVERIFY_THROWS_EXCEPTION(InputError, [&] { // without keeping them it would have needed them
            Sources bare{sources_.frames, std::make_shared<StageCache>(size_t(1) << 28)};
            bare.frames[0] = std::make_shared<Frame>(*bare.frames[0]);
            std::const_pointer_cast<Frame>(bare.frames[0])->path += ".gone";
            mergedOf(RenderPlan(bare, measured_, other), 1, ctx);
        }());
    }
};

QTEST_GUILESS_MAIN(TestInspect)
#include "tst_inspect.moc"
