// White balance on a chart that the simulated camera took under tinted light.
#include "base/errors.h"
#include "frames/white_balance.h"
#include "render/render.h"
#include "simulated_camera.h"
#include "support/ciede2000.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

constexpr int kPatch = 48;
constexpr std::array kGreys{0.90, 0.59, 0.36, 0.19, 0.09, 0.03}; // the neutral row of a usual chart, near enough

/// Six grey patches, three coloured ones below, under light of the given Rec. 709 colour.
Image<float> chartUnder(const Vector3 &light)
{
    Image<float> out(kPatch * 6, kPatch * 2, 3);
    const double colours[3][3] = {{0.4, 0.1, 0.08}, {0.1, 0.3, 0.12}, {0.08, 0.1, 0.4}};
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x)
            for (int c = 0; c < 3; ++c) {
                const int patch = x / kPatch;
                const double surface = y < kPatch ? kGreys[size_t(patch)] : colours[patch % 3][c];
                out.row(c, y)[x] = float(surface * light[size_t(c)]);
            }
    return out;
}

} // namespace

class TestWhiteBalance : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

    struct Opened {
        Sources sources;
        Measured measured;
    };
    Opened shoot(const Vector3 &light, bool raw)
    {
        const Image<float> chart = chartUnder(light);
        Opened out{{{}, std::make_shared<StageCache>(size_t(64) << 20)}, {}};
        for (double ev : {-2.0, 0.0, 2.0}) {
            const demo::Shot shot = test::shotAt(ev, 1.3, uint64_t(ev + 10));
            const std::string path =
                dir_.filePath(QString("chart%1.%2").arg(ev).arg(raw ? "dng" : "jpg")).toStdString();
            if (raw)
                demo::writeDng(path, demo::exposeMosaic(chart.view(), shot).view(), shot);
            else
                demo::writeFrame(path, demo::expose(chart.view(), shot).view(), shot, demo::FrameFile::Jpeg);
            out.sources.frames.push_back(loadFrame(path));
        }
        ThreadRunner runner;
        ExecContext ctx(runner);
        out.measured = analyse(out.sources, {}, ctx);
        return out;
    }
    static Vector3 meanOf(const Image<float> &scene, int patch)
    {
        Vector3 sum{};
        for (int y = 12; y < kPatch - 12; ++y)
            for (int x = patch * kPatch + 12; x < (patch + 1) * kPatch - 12; ++x)
                for (int c = 0; c < 3; ++c)
                    sum[size_t(c)] += double(scene.row(c, y)[x]) / ((kPatch - 24) * (kPatch - 24));
        return sum;
    }

private Q_SLOTS:
    void colourDifferenceHasItsCheckValues()
    {
        // Sharma, Wu, Dalal 2005: pair 1, and (from memory) pair 7 of their table.
        QVERIFY(std::abs(test::ciede2000({50, 2.6772, -79.7751}, {50, 0, -82.7485}) - 2.0425) < 5e-5);
        QVERIFY(std::abs(test::ciede2000({50, 0, 0}, {50, -1, 2}) - 2.3669) < 5e-5);
    }
    void pickedNeutralsComeOutNeutral_data()
    {
        QTest::addColumn<bool>("raw");
        QTest::addColumn<double>("red");
        QTest::addColumn<double>("blue");
        for (bool raw : {true, false}) {
            QTest::addRow("%s, lamp", raw ? "raw" : "JPEG") << raw << 1.25 << 0.55;
            QTest::addRow("%s, shade", raw ? "raw" : "JPEG") << raw << 0.8 << 1.2;
        }
    }
    void pickedNeutralsComeOutNeutral()
    {
        QFETCH(bool, raw);
        QFETCH(double, red);
        QFETCH(double, blue);
        const Opened set = shoot({red, 1.0, blue}, raw);
        ThreadRunner runner;
        ExecContext ctx(runner);
        // The third grey, as a user would pick one that is neither bright nor dark; from the merge and from a frame.
        for (const std::optional<size_t> from : {std::optional<size_t>(), std::optional<size_t>(1)}) {
            const PickedLight picked = pickLight(set.sources, set.measured, {}, from, 2.5 * kPatch, 0.5 * kPatch, ctx);
            QVERIFY(!picked.clipped);
            const WhitePoint light = lightOf(set.sources.frames[0]->codeValues, picked.rgb);
            Recipe recipe;
            recipe.white = {WhiteMode::Own, light.temperature, light.tint};
            const PicturePtr before = sceneOf(RenderPlan(set.sources, set.measured, {}), {}, ctx),
                             after = sceneOf(RenderPlan(set.sources, set.measured, recipe), {}, ctx);
            for (int patch = 0; patch < 6; ++patch) {
                const Vector3 lab = test::labOf(meanOf(*after, patch)), was = test::labOf(meanOf(*before, patch));
                const double off = test::ciede2000(lab, {lab[0], 0, 0});
                QVERIFY2(off <= 1.0, qPrintable(QString("patch %1: %2").arg(patch).arg(off)));
                QVERIFY(test::ciede2000(was, {was[0], 0, 0}) > 3.0); // as shot it was tinted
                QVERIFY2(std::abs(lab[0] - was[0]) < 0.35,
                         qPrintable(QString::number(lab[0] - was[0]))); // exposure stays
            }
        }
    }
    void automaticWhiteGoesTheRightWay()
    {
        const Opened lamp = shoot({1.25, 1.0, 0.55}, true), shade = shoot({0.8, 1.0, 1.2}, true);
        QVERIFY(lamp.measured.automaticWhite.temperature < lamp.measured.asShot.temperature - 500);
        QVERIFY(shade.measured.automaticWhite.temperature > shade.measured.asShot.temperature + 500);
        QVERIFY(std::abs(lamp.measured.asShot.temperature - 6504) < 15); // the camera says daylight
    }
    void aWindowDoesNotDecideForTheRoom()
    {
        // Greys from 5 to 90 % in lamp light; on a quarter of the picture a view by daylight, four stops brighter.
        const auto sceneWith = [](bool window) {
            Image<float> out(120, 80, 3);
            const Vector3 lamp{1.0, 0.75, 0.45}, day{0.8, 0.95, 1.0};
            for (int y = 0; y < out.height(); ++y)
                for (int x = 0; x < out.width(); ++x) {
                    const double grey = 0.05 + 0.85 * ((x * 7 + y * 13) % 50) / 49.0;
                    const bool outside = window && x >= 60 && y >= 40;
                    for (size_t c = 0; c < 3; ++c)
                        out.row(int(c), y)[x] = float(outside ? 16.0 * grey * day[c] : grey * lamp[c]);
                }
            return out;
        };
        const WhitePoint alone = automaticWhite(assumedSrgb(), sceneWith(false).view()),
                         beside = automaticWhite(assumedSrgb(), sceneWith(true).view());
        QVERIFY2(alone.temperature < 4500.0, qPrintable(QString::number(alone.temperature)));
        QVERIFY2(std::abs(1e6 / beside.temperature - 1e6 / alone.temperature) < 2.0, // mired
                 qPrintable(QString::number(beside.temperature)));
    }
    void clippedPlacesStayWhite()
    {
        // The brightest grey clips in every frame; whatever the balance, it is white as the camera has it.
        Image<float> chart = test::flat(64, 64, 40.0f, 40.0f, 40.0f);
        Opened set{{{}, std::make_shared<StageCache>(size_t(64) << 20)}, {}};
        for (double ev : {-2.0, 0.0}) {
            const demo::Shot shot = test::shotAt(ev, 1.0, 3);
            const std::string path = dir_.filePath(QString("white%1.dng").arg(ev)).toStdString();
            demo::writeDng(path, demo::exposeMosaic(chart.view(), shot).view(), shot);
            set.sources.frames.push_back(loadFrame(path));
        }
        ThreadRunner runner;
        ExecContext ctx(runner);
        set.measured = analyse(set.sources, {}, ctx);
        Recipe warm;
        warm.white = {WhiteMode::Own, 3000, 0};
        const PicturePtr a = sceneOf(RenderPlan(set.sources, set.measured, {}), {}, ctx),
                         b = sceneOf(RenderPlan(set.sources, set.measured, warm), {}, ctx);
        for (int c = 0; c < 3; ++c)
            QVERIFY(std::abs(b->row(c, 30)[30] / a->row(1, 30)[30] - 1.0f) < 2e-3f);
    }
    void aClickOnTheBalanceLeavesTheMergeAlone()
    {
        const Opened set = shoot({1.0, 1.0, 1.0}, true);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const MergedPtr merged = mergedOf(RenderPlan(set.sources, set.measured, {}), 1, ctx);
        Recipe warm;
        warm.white = {WhiteMode::Own, 4000, 0};
        sceneOf(RenderPlan(set.sources, set.measured, warm), {}, ctx);
        QCOMPARE(mergedOf(RenderPlan(set.sources, set.measured, warm), 1, ctx).get(), merged.get());
        warm.prepare.darkNoise = 80;
        QVERIFY(mergedOf(RenderPlan(set.sources, set.measured, warm), 1, ctx).get() !=
                merged.get()); // and this does not
    }
    void darkAndOutsidePlacesAreRefused()
    {
        const Opened set = shoot({1.0, 1.0, 1.0}, false);
        ThreadRunner runner;
        ExecContext ctx(runner);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightOf(assumedSrgb(), {0.1, -0.1, 0.1}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, pickLight(set.sources, set.measured, {}, std::nullopt, -1, 5, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, pickLight(set.sources, set.measured, {}, 9, 5, 5, ctx));
        QVERIFY(pickLight(set.sources, set.measured, {}, 2, 10, 10, ctx).clipped); // the brightest grey at +2 EV
    }
    void neutralsAndLightsAreInverse()
    {
        for (double t : {2500.0, 5000.0, 9000.0}) {
            const WhitePoint back = lightOf(assumedSrgb(), neutralOf(assumedSrgb(), {t, 5.0}));
            QVERIFY(std::abs(back.temperature / t - 1.0) < 1e-3 && std::abs(back.tint - 5.0) < 0.05);
        }
        for (double v : neutralOf(assumedSrgb(), {1500, 0}))
            QVERIFY(v >= 0.01); // sRGB has no such light; the control must still not fail
    }
};

QTEST_GUILESS_MAIN(TestWhiteBalance)
#include "tst_white_balance.moc"
