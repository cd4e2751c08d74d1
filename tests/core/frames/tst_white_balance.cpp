// White balance on a chart that the simulated camera took under tinted light.
#include "base/errors.h"
#include "frames/white_balance.h"
#include "render/render.h"
#include "simulated_camera.h"
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

Vector3 labOf(const Vector3 &rec2020)
{
    const Vector3 xyz = rgbToXyz(kRec2020) * rec2020, white = xyzOf(kD65);
    const auto f = [](double t) { // CIE 15
        return t > std::pow(6.0 / 29.0, 3) ? std::cbrt(t) : t / (3.0 * std::pow(6.0 / 29.0, 2)) + 4.0 / 29.0;
    };
    const double x = f(xyz[0] / white[0]), y = f(xyz[1] / white[1]), z = f(xyz[2] / white[2]);
    return {116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)};
}

/// CIEDE2000. Source: Sharma, Wu, Dalal 2005.
double ciede2000(const Vector3 &one, const Vector3 &two)
{
    constexpr double kDegree = 3.14159265358979323846 / 180.0;
    const double c1 = std::hypot(one[1], one[2]), c2 = std::hypot(two[1], two[2]), mean = (c1 + c2) / 2.0;
    const double g = 0.5 * (1.0 - std::sqrt(std::pow(mean, 7) / (std::pow(mean, 7) + std::pow(25.0, 7))));
    const double a1 = (1.0 + g) * one[1], a2 = (1.0 + g) * two[1];
    const double d1 = std::hypot(a1, one[2]), d2 = std::hypot(a2, two[2]);
    const auto hue = [&](double b, double a) {
        const double h = a == 0.0 && b == 0.0 ? 0.0 : std::atan2(b, a) / kDegree;
        return h < 0.0 ? h + 360.0 : h;
    };
    const double h1 = hue(one[2], a1), h2 = hue(two[2], a2);
    const double dl = two[0] - one[0], dc = d2 - d1;
    double dh = d1 * d2 == 0.0 ? 0.0 : h2 - h1;
    dh = dh > 180.0 ? dh - 360.0 : dh < -180.0 ? dh + 360.0 : dh;
    const double bigH = 2.0 * std::sqrt(d1 * d2) * std::sin(dh / 2.0 * kDegree);
    const double l = (one[0] + two[0]) / 2.0, c = (d1 + d2) / 2.0;
    double h = h1 + h2;
    if (d1 * d2 != 0.0)
        h = std::abs(h1 - h2) <= 180.0 ? h / 2.0 : h < 360.0 ? (h + 360.0) / 2.0 : (h - 360.0) / 2.0;
    const double t = 1.0 - 0.17 * std::cos((h - 30) * kDegree) + 0.24 * std::cos(2 * h * kDegree) +
                     0.32 * std::cos((3 * h + 6) * kDegree) - 0.20 * std::cos((4 * h - 63) * kDegree);
    const double sl = 1.0 + 0.015 * std::pow(l - 50, 2) / std::sqrt(20.0 + std::pow(l - 50, 2)), sc = 1.0 + 0.045 * c,
                 sh = 1.0 + 0.015 * c * t;
    const double turn = 30.0 * std::exp(-std::pow((h - 275.0) / 25.0, 2));
    const double rt =
        -2.0 * std::sqrt(std::pow(c, 7) / (std::pow(c, 7) + std::pow(25.0, 7))) * std::sin(2 * turn * kDegree);
    return std::sqrt(std::pow(dl / sl, 2) + std::pow(dc / sc, 2) + std::pow(bigH / sh, 2) + rt * dc / sc * bigH / sh);
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
        QVERIFY(std::abs(ciede2000({50, 2.6772, -79.7751}, {50, 0, -82.7485}) - 2.0425) < 5e-5);
        QVERIFY(std::abs(ciede2000({50, 0, 0}, {50, -1, 2}) - 2.3669) < 5e-5);
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
            const PicturePtr before = sceneOf(set.sources, set.measured, {}, {}, ctx),
                             after = sceneOf(set.sources, set.measured, recipe, {}, ctx);
            for (int patch = 0; patch < 6; ++patch) {
                const Vector3 lab = labOf(meanOf(*after, patch)), was = labOf(meanOf(*before, patch));
                const double off = ciede2000(lab, {lab[0], 0, 0});
                QVERIFY2(off <= 1.0, qPrintable(QString("patch %1: %2").arg(patch).arg(off)));
                QVERIFY(ciede2000(was, {was[0], 0, 0}) > 3.0); // as shot it was tinted
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
        const PicturePtr a = sceneOf(set.sources, set.measured, {}, {}, ctx),
                         b = sceneOf(set.sources, set.measured, warm, {}, ctx);
        for (int c = 0; c < 3; ++c)
            QVERIFY(std::abs(b->row(c, 30)[30] / a->row(1, 30)[30] - 1.0f) < 2e-3f);
    }
    void aClickOnTheBalanceLeavesTheMergeAlone()
    {
        const Opened set = shoot({1.0, 1.0, 1.0}, true);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const MergedPtr merged = mergedOf(set.sources, set.measured, {}, 1, ctx);
        Recipe warm;
        warm.white = {WhiteMode::Own, 4000, 0};
        sceneOf(set.sources, set.measured, warm, {}, ctx);
        QCOMPARE(mergedOf(set.sources, set.measured, warm, 1, ctx).get(), merged.get());
        warm.prepare.darkNoise = 80;
        QVERIFY(mergedOf(set.sources, set.measured, warm, 1, ctx).get() != merged.get()); // and this does not
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
