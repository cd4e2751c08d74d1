// Two lights on scenes whose mixture is known: from a formula, and in worlds.
#include "base/errors.h"
#include "frames/light_mixture.h"
#include "support/ciede2000.h"
#include "support/runners.h"
#include "worlds/two_lights.h"

#include <QTest>

#include <cmath>
#include <limits>

using namespace yolk;

namespace {

constexpr WhitePoint kLamp{2856.0, 0.0}, kDay{6504.0, 0.0}; // CIE illuminants A and D65
constexpr int kWidth = 240, kHeight = 160;

Vector3 colourOf(const WhitePoint &light)
{
    return neutralOf(assumedSrgb(), light);
}

/// Share of the lamp that falls on column x: from none at the left to all at the right.
double lampAt(int x)
{
    return double(x) / (kWidth - 1);
}

/// Linear sRGB of surfaces under the mixture; `surface(x, y)` is their reflectance.
template <class Surface> Image<float> litScene(Surface &&surface)
{
    Image<float> out(kWidth, kHeight, 3);
    const Vector3 lamp = colourOf(kLamp), day = colourOf(kDay);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
            const Vector3 rho = surface(x, y);
            for (size_t c = 0; c < 3; ++c)
                out.row(int(c), y)[x] = float(rho[c] * std::lerp(day[c], lamp[c], lampAt(x)));
        }
    return out;
}

/// Lab at L* 60 of a mended pixel, and of a reflectance under white light.
Vector3 labAt60(const Vector3 &rgb)
{
    const Vector3 rec2020 = assumedSrgb().toRec2020 * rgb;
    double luminance = 0.0;
    for (size_t c = 0; c < 3; ++c)
        luminance += double(kLuminance2020[c]) * rec2020[c];
    const double scale = std::pow(76.0 / 116.0, 3) / luminance;
    return test::labOf({rec2020[0] * scale, rec2020[1] * scale, rec2020[2] * scale});
}

class TestLightMixture : public QObject {
    Q_OBJECT

    static Image<float> mended(const Image<float> &scene, double strength)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const LightMixture mixture = lightMixture(assumedSrgb(), scene.view(), colourOf(kLamp), colourOf(kDay), ctx);
        const MixtureGains gains(mixture, balancedMatrix(assumedSrgb(), colourOf(kDay)), strength);
        Image<float> out(scene.shape());
        for (int y = 0; y < scene.height(); ++y)
            applyRow(gains, scene, y, 0, scene.width(), out);
        return out;
    }
    static void applyRow(const MixtureGains &gains, const Image<float> &scene, int y, int x0, int x1, Image<float> &out)
    {
        const float *const from[] = {scene.row(0, y) + x0, scene.row(1, y) + x0, scene.row(2, y) + x0};
        float *const to[] = {out.row(0, y) + x0, out.row(1, y) + x0, out.row(2, y) + x0};
        gains.apply(from, x1 - x0, (x0 + 0.5) / scene.width(), 1.0 / scene.width(), (y + 0.5) / scene.height(), to);
    }
    static Vector3 at(const Image<float> &rgb, int x, int y)
    {
        return {double(rgb.row(0, y)[x]), double(rgb.row(1, y)[x]), double(rgb.row(2, y)[x])};
    }

private Q_SLOTS:
    void greyWallBetweenTwoLights() // truth from a formula
    {
        const Image<float> scene = litScene([](int, int y) {
            const double light = 0.1 + 0.8 * y / kHeight;
            return Vector3{light, light, light};
        });
        const Image<float> out = mended(scene, 1.0);
        double worst = 0.0, before = 0.0;
        for (int y = 5; y < kHeight; y += 10)
            for (int x = 0; x < kWidth; x += 7) {
                worst = std::max(worst, test::ciede2000(labAt60(at(out, x, y)), {60.0, 0.0, 0.0}));
                before = std::max(before, test::ciede2000(labAt60(at(scene, x, y)), {60.0, 0.0, 0.0}));
            }
        QVERIFY2(before > 15.0, qPrintable(QString::number(before))); // the lamp is plainly yellow
        QVERIFY2(worst < 1.0, qPrintable(QString::number(worst)));
    }
    void surfacesKeepTheirColour() // wood has the chromaticity of a lamp: its place tells them apart
    {
        const Vector3 wood{0.45, 0.28, 0.15}, green{0.1, 0.3, 0.12};
        const auto isBoard = [](int x, int y) { return x % 40 >= 12 && x % 40 < 28 && y % 40 >= 12 && y % 40 < 28; };
        const auto surface = [&](int x, int y) {
            return !isBoard(x, y) ? Vector3{0.5, 0.5, 0.5} : (x / 40 + y / 40) % 2 ? wood : green;
        };
        const Image<float> out = mended(litScene(surface), 1.0);
        double worst = 0.0;
        for (int y = 20; y < kHeight; y += 40)
            for (int x = 20; x < kWidth; x += 40)
                worst = std::max(worst, test::ciede2000(labAt60(at(out, x, y)), labAt60(surface(x, y))));
        // By each channel's own gain, a light's colour leaves a surface up to rounding of the mixture's line.
        QVERIFY2(worst < 3.0, qPrintable(QString::number(worst)));
    }
    void strengthRunsFromNothingToWhite()
    {
        const Image<float> scene = litScene([](int, int) { return Vector3{0.4, 0.4, 0.4}; });
        const Image<float> none = mended(scene, 0.0), half = mended(scene, 0.5), full = mended(scene, 1.0);
        const int x = kWidth - 10, y = kHeight / 2;
        const auto chroma = [&](const Image<float> &rgb) {
            const Vector3 lab = labAt60(at(rgb, x, y));
            return std::hypot(lab[1], lab[2]);
        };
        QVERIFY(std::abs(chroma(none) - chroma(scene)) < 1e-3);
        QVERIFY(chroma(half) < 0.7 * chroma(none) && chroma(half) > 0.3 * chroma(none));
        QVERIFY(chroma(full) < 0.1 * chroma(none));
    }
    void luminanceStays()
    {
        const Image<float> scene = litScene([](int x, int y) {
            return Vector3{0.1 + 0.003 * x, 0.4, 0.1 + 0.004 * y};
        });
        const Image<float> out = mended(scene, 1.0);
        const Vector3 weights = luminanceRow(balancedMatrix(assumedSrgb(), colourOf(kDay)));
        double worst = 0.0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                double before = 0.0, after = 0.0;
                for (size_t c = 0; c < 3; ++c) {
                    before += weights[c] * double(scene.row(int(c), y)[x]);
                    after += weights[c] * double(out.row(int(c), y)[x]);
                }
                worst = std::max(worst, std::abs(after / before - 1.0));
            }
        QVERIFY2(worst < 1e-5, qPrintable(QString::number(worst))); // floats and powers within 4e-6
    }
    void partsHaveTheBitsOfTheWhole()
    {
        SerialRunner serial;
        test::ShuffledRunner shuffled(5);
        ExecContext one(serial), other(shuffled);
        const worlds::TwoLights world = worlds::twoLightsOf(3, kWidth, kHeight, one);
        const LightMixture mixture = lightMixture(assumedSrgb(), world.seen.view(), world.lampPick, world.dayPick, one);
        const LightMixture again = lightMixture(assumedSrgb(), world.seen.view(), world.lampPick, world.dayPick, other);
        const Matrix3 white = balancedMatrix(assumedSrgb(), world.dayPick);
        const MixtureGains gains(mixture, white, 1.0), gainsAgain(again, white, 1.0);
        Image<float> whole(world.seen.shape()), parts(world.seen.shape()), third(world.seen.shape());
        for (int y = 0; y < kHeight; ++y) {
            applyRow(gains, world.seen, y, 0, kWidth, whole);
            applyRow(gainsAgain, world.seen, y, 0, kWidth, third);
            for (int x = 0; x < kWidth; x += 37)
                applyRow(gains, world.seen, y, x, std::min(kWidth, x + 37), parts);
        }
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y) {
                QVERIFY(std::equal(whole.row(c, y), whole.row(c, y) + kWidth, parts.row(c, y)));
                QVERIFY(std::equal(whole.row(c, y), whole.row(c, y) + kWidth, third.row(c, y)));
            }
    }
    void roomsOfManyThings() // work seeds; those above 1000 are for `bench lights`
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        double greys = 0.0, colours = 0.0, coloursBefore = 0.0;
        constexpr int kRooms = 6;
        for (uint64_t seed = 200; seed < 200 + kRooms; ++seed) {
            const worlds::TwoLightsVerdict v = judgeTwoLights(worlds::twoLightsOf(seed, 480, 320, ctx), ctx);
            QVERIFY2(v.greys > 0.75 && v.greys > v.oneLight,
                     qPrintable(QStringLiteral("%1: %2, one light %3").arg(seed).arg(v.greys).arg(v.oneLight)));
            greys += v.greys / kRooms;
            colours += v.colours / kRooms;
            coloursBefore += v.coloursOneLight / kRooms;
        }
        QVERIFY2(greys > 0.9, qPrintable(QString::number(greys)));
        QVERIFY2(colours < 0.5 * coloursBefore, qPrintable(QString::number(colours)));
    }
    void oddPicturesAndLights()
    {
        SerialRunner runner;
        ExecContext ctx(runner);
        const Vector3 lamp = colourOf(kLamp), day = colourOf(kDay);
        Image<float> one(1, 1, 3), bad(40, 30, 3), grey(10, 10, 1);
        const auto share = [&](const LightMixture &mixture, double x, double y, const Vector3 &rgb) {
            const MixtureGains gains(mixture, assumedSrgb().toRec2020, 1.0);
            const float r = float(rgb[0]), g = float(rgb[1]), b = float(rgb[2]);
            const float *const from[] = {&r, &g, &b};
            float out = NAN;
            gains.shares(from, 1, x, 1.0, y, &out);
            return out;
        };
        for (int c = 0; c < 3; ++c) {
            one.row(c, 0)[0] = float(lamp[size_t(c)]);
            for (int y = 0; y < 30; ++y)
                for (int x = 0; x < 40; ++x)
                    bad.row(c, y)[x] = (x + y) % 3 == 0   ? std::numeric_limits<float>::quiet_NaN()
                                       : (x + y) % 3 == 1 ? -0.01f
                                                          : float(lamp[size_t(c)]);
        }
        QVERIFY(std::abs(share(lightMixture(assumedSrgb(), one.view(), lamp, day, ctx), 0.5, 0.5, lamp) - 1.0f) < 0.1f);
        QVERIFY(std::isfinite(share(lightMixture(assumedSrgb(), bad.view(), lamp, day, ctx), 0.5, 0.5, lamp)));
        QVERIFY(std::isfinite(share(lightMixture(assumedSrgb(), bad.view(), lamp, day, ctx), 0.5, 0.5, {NAN, 0, -1})));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightMixture(assumedSrgb(), grey.view(), lamp, day, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightMixture(assumedSrgb(), one.view(), lamp, lamp, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightMixture(assumedSrgb(), one.view(), {0, 1, 1}, day, ctx));
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(runner, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled, lightMixture(assumedSrgb(), bad.view(), lamp, day, stopped));
    }
};

} // namespace

QTEST_GUILESS_MAIN(TestLightMixture)
#include "tst_light_mixture.moc"
