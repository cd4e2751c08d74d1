// The adjustments of colour, each against what its header says.
#include "adjust/adjustment_list.h"
#include "base/monotone_spline.h"
#include "colour/hue_rows.h"
#include "colour/oklab.h"
#include "colour/transfer.h"
#include "recipe/sections.h"
#include "support/ciede2000.h"

#include <QTest>

#include <cmath>
#include <numbers>

using namespace yolk;

namespace {

constexpr double kPerDegree = std::numbers::pi / 180.0;

/// What an adjustment makes of Oklab colours.
std::vector<Oklab> through(const AdjustmentPtr &adjustment, const std::vector<Oklab> &colours)
{
    Image<float> lab(int(colours.size()), 1, 3);
    for (size_t i = 0; i < colours.size(); ++i) {
        lab.row(0, 0)[i] = float(colours[i].L);
        lab.row(1, 0)[i] = float(colours[i].a);
        lab.row(2, 0)[i] = float(colours[i].b);
    }
    if (adjustment)
        adjustment->apply(lab.view(), lab.view(), {});
    std::vector<Oklab> out;
    for (size_t i = 0; i < colours.size(); ++i)
        out.push_back({double(lab.row(0, 0)[i]), double(lab.row(1, 0)[i]), double(lab.row(2, 0)[i])});
    return out;
}

Oklab lch(double L, double C, double degrees)
{
    return {L, C * std::cos(degrees * kPerDegree), C * std::sin(degrees * kPerDegree)};
}

double hueOf(const Oklab &lab)
{
    return std::atan2(lab.b, lab.a) / kPerDegree;
}

double apartBy(double a, double b)
{
    return std::abs(std::remainder(a - b, 360.0));
}

/// What an adjustment makes of linear RGB.
std::array<float, 3> ofRgb(const AdjustmentPtr &adjustment, std::array<float, 3> rgb)
{
    Image<float> one(1, 1, 3);
    for (int c = 0; c < 3; ++c)
        one.row(c, 0)[0] = rgb[size_t(c)];
    adjustment->apply(one.view(), one.view(), {});
    return {one.row(0, 0)[0], one.row(1, 0)[0], one.row(2, 0)[0]};
}

} // namespace

class TestAdjustments : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void neutralIsNothing()
    {
        const AdjustmentSettings neutral;
        std::apply([&](const auto &...settings) { QCOMPARE(sizeof...(settings), std::tuple_size_v<AdjustmentList>); },
                   neutral);
        QVERIFY(!Saturation::make({}) && !Vibrance::make({}) && !WarmCool::make({}) && !HueMarks::make({}));
        QVERIFY(!Monochrome::make({}) && !Tints::make({}) && !LightCurve::make({}));
        HueSettings idle;
        idle.marks = {{30.0}};
        QVERIFY(!HueMarks::make(idle)); // a mark that does nothing
    }
    void huesOfRows()
    {
        std::vector<float> a, b, hue(3600);
        for (int i = 0; i < 3600; ++i) {
            a.push_back(0.1f * float(std::cos(i * 0.1 * kPerDegree)));
            b.push_back(0.1f * float(std::sin(i * 0.1 * kPerDegree)));
        }
        hueRow(a.data(), b.data(), 3600, hue.data());
        for (int i = 0; i < 3600; ++i)
            QVERIFY(apartBy(double(hue[size_t(i)]), i * 0.1) < 0.002);
    }
    void saturationKeepsHueAndLightness()
    {
        std::vector<Oklab> colours;
        for (int hue = 0; hue < 360; hue += 15)
            for (double chroma : {0.02, 0.08, 0.15})
                colours.push_back(lch(0.6, chroma, hue));
        for (double percent : {-60.0, 40.0, 100.0}) {
            const auto got = through(Saturation::make(SaturationSettings{percent}), colours);
            for (size_t i = 0; i < got.size(); ++i) {
                QVERIFY(std::abs(chromaOf(got[i]) - chromaOf(colours[i]) * (1.0 + percent / 100.0)) < 1e-6);
                QVERIFY(apartBy(hueOf(got[i]), hueOf(colours[i])) < 0.01);
                QCOMPARE(float(got[i].L), float(colours[i].L));
            }
        }
        for (const Oklab &grey : through(Saturation::make(SaturationSettings{-100.0}), colours))
            QVERIFY(chromaOf(grey) < 1e-7);
    }
    void vibranceSparesSkin()
    {
        // Skins of six tones [Coleman and others measured such; values in sRGB are from memory], and a blue of the chroma
        // of each: under vibrance a skin moves at most half as far.
        const std::array<std::array<int, 3>, 6> skins{
            {{255, 219, 172}, {241, 194, 125}, {224, 172, 105}, {198, 134, 66}, {141, 85, 36}, {90, 56, 37}}};
        const OklabSpace space(kRec709);
        for (const auto &code : skins) {
            const Oklab skin =
                space.fromRgb({decodeSrgb(code[0] / 255.0), decodeSrgb(code[1] / 255.0), decodeSrgb(code[2] / 255.0)});
            const Oklab blue = lch(skin.L, chromaOf(skin), 260.0);
            for (double percent : {-80.0, 50.0, 100.0}) {
                const auto got = through(Vibrance::make(VibranceSettings{percent}), {skin, blue});
                const double ofSkin = std::hypot(got[0].a - skin.a, got[0].b - skin.b);
                const double ofBlue = std::hypot(got[1].a - blue.a, got[1].b - blue.b);
                QVERIFY2(ofSkin <= 0.5 * ofBlue,
                         qPrintable(QStringLiteral("%1: %2 %3").arg(hueOf(skin)).arg(ofSkin).arg(ofBlue)));
                QVERIFY(ofSkin > 0.0);
                QVERIFY(apartBy(hueOf(got[0]), hueOf(skin)) < 0.01 && apartBy(hueOf(got[1]), 260.0) < 0.01);
            }
        }
        // Weak colours more than strong ones, and never past them.
        double last = 0.0;
        for (double chroma = 0.0; chroma < 0.3; chroma += 0.002) {
            const double now = chromaOf(through(Vibrance::make(VibranceSettings{100.0}), {lch(0.5, chroma, 140)})[0]);
            QVERIFY(now >= last);
            last = now;
        }
    }
    void warmAndCoolPart()
    {
        const Oklab amber = lch(0.6, 0.08, 75), blue = lch(0.6, 0.08, 255), grey{0.5, 0.0, 0.0};
        const auto apart = through(WarmCool::make(WarmCoolSettings{60.0}), {amber, blue, grey});
        const auto nearer = through(WarmCool::make(WarmCoolSettings{-60.0}), {amber, blue, grey});
        const auto distance = [](const std::vector<Oklab> &v) { return std::hypot(v[0].a - v[1].a, v[0].b - v[1].b); };
        QVERIFY(distance(apart) > 1.2 * 0.16 && distance(nearer) < 0.85 * 0.16);
        for (const auto &v : {apart, nearer}) {
            QVERIFY(v[2].a == 0.0 && v[2].b == 0.0);
            QCOMPARE(float(v[0].L), 0.6f);
            QVERIFY(apartBy(hueOf(v[0]), 75.0) < 10.0);
        }
    }
    void marksMoveTheirColourAlone()
    {
        HueSettings settings;
        settings.marks = {{140.0, 40.0, 20.0, -30.0, 15.0}};
        const AdjustmentPtr marks = HueMarks::make(settings);
        const Oklab green = lch(0.6, 0.12, 140);
        const Oklab got = through(marks, {green})[0];
        // The stated amounts, within 2 %.
        QVERIFY(apartBy(hueOf(got), 160.0) < 0.02 * 20.0);
        QVERIFY(std::abs(got.L / green.L - 1.15) < 0.02 * 0.15);
        QVERIFY(std::abs(chromaOf(got) / chromaOf(green) / 1.15 - 0.7) < 0.02 * 0.7);
        // Greys of any lightness, and what noise and rounding make of them, stay.
        const OklabSpace space(kRec2020);
        for (double L = 0.05; L <= 1.0; L += 0.05)
            for (double off : {0.0, 0.002}) {
                const Oklab grey = lch(L, off, 140), after = through(marks, {grey})[0];
                const Vector3 a = space.toRgb(grey), b = space.toRgb(after);
                const Matrix3 to709 = rgbToRgb(kRec2020, kRec709);
                QVERIFY(test::ciede2000(test::labOf(to709 * a), test::labOf(to709 * b)) <= 0.3);
            }
        // Other hues stay.
        for (double hue : {20.0, 99.0, 181.0, 300.0}) {
            const Oklab other = lch(0.6, 0.12, hue), after = through(marks, {other})[0];
            QVERIFY(std::hypot(after.a - other.a, after.b - other.b) < 1e-5 && std::abs(after.L - other.L) < 1e-6);
        }
    }
    void aYellowWallBecomesWhite()
    {
        // A white wall in the light of a lamp, in shade and light; beside it wood, leaves and a blue vase.
        const std::vector<Oklab> wall{lch(0.9, 0.05, 92), lch(0.75, 0.055, 90), lch(0.6, 0.06, 88)};
        const std::vector<Oklab> others{lch(0.5, 0.09, 55), lch(0.55, 0.12, 135), lch(0.45, 0.1, 260)};
        HueSettings settings;
        settings.marks = {{90.0, 30.0, 0.0, -85.0, 4.0}}; // pulled in and lifted
        const AdjustmentPtr mend = HueMarks::make(settings);
        for (size_t i = 0; i < wall.size(); ++i) {
            const Oklab after = through(mend, wall)[i];
            QVERIFY2(chromaOf(after) < 0.25 * chromaOf(wall[i]), qPrintable(QString::number(chromaOf(after))));
            QVERIFY(after.L > wall[i].L);
        }
        for (size_t i = 0; i < others.size(); ++i) {
            const Oklab after = through(mend, others)[i];
            QVERIFY(std::hypot(after.L - others[i].L, after.a - others[i].a, after.b - others[i].b) < 1e-5);
        }
    }
    void marksEndWithoutASeam()
    {
        HueSettings settings;
        settings.marks = {{10.0, 30.0, 0.0, 0.0, 40.0}};
        const AdjustmentPtr marks = HueMarks::make(settings);
        // Second differences of lightness along a sweep over the mark's whole width bend, but never jump.
        std::vector<double> L;
        constexpr double kStep = 0.5;
        for (double hue = -40.0; hue <= 60.0; hue += kStep)
            L.push_back(through(marks, {lch(0.5, 0.15, hue)})[0].L);
        double largest = 0.0, jump = 0.0, before = 0.0;
        for (size_t i = 1; i + 1 < L.size(); ++i) {
            const double second = (L[i - 1] - 2.0 * L[i] + L[i + 1]) / (kStep * kStep);
            largest = std::max(largest, std::abs(second));
            if (i > 1)
                jump = std::max(jump, std::abs(second - before));
            before = second;
        }
        QVERIFY2(jump < 0.15 * largest, qPrintable(QStringLiteral("%1 of %2").arg(jump).arg(largest)));
        // Round the end of the circle as anywhere else.
        settings.marks = {{359.0, 30.0, 10.0, 0.0, 0.0}};
        QVERIFY(apartBy(hueOf(through(HueMarks::make(settings), {lch(0.5, 0.15, 359.0)})[0]), 9.0) < 0.2);
        QVERIFY(apartBy(hueOf(through(HueMarks::make(settings), {lch(0.5, 0.15, 5.0)})[0]), 5.0) > 5.0);
    }
    void monochromeMixes()
    {
        MonochromeSettings settings;
        settings.on = true;
        const std::array<float, 3> grey{0.3f, 0.3f, 0.3f}, red{0.6f, 0.1f, 0.05f};
        const auto plain = ofRgb(Monochrome::make(settings), red);
        QVERIFY(plain[0] == plain[1] && plain[1] == plain[2]);
        // By hand: 0.26 x 0.6 + 0.68 x 0.1 + 0.06 x 0.05 = 0.227
        QVERIFY(std::abs(plain[0] - 0.227f) < 1e-6f);
        settings.red = 150;
        settings.green = -30;
        settings.blue = -20;
        QVERIFY(std::abs(ofRgb(Monochrome::make(settings), grey)[0] - 0.3f) < 1e-6f);
        QVERIFY(ofRgb(Monochrome::make(settings), red)[1] > 0.8f);
        QVERIFY(ofRgb(Monochrome::make(settings), {0.0f, 0.5f, 0.0f})[2] == 0.0f);
    }
    void tintsColourWhatTheySay()
    {
        TintSettings settings;
        settings.lights = 50.0;
        settings.darks = 40.0;
        const auto got = through(Tints::make(settings), {{0.85, 0, 0}, {0.25, 0, 0}, {0.0, 0, 0}, {1.0, 0, 0}});
        QVERIFY(apartBy(hueOf(got[0]), settings.lightsHue) < 8.0 && chromaOf(got[0]) > 0.03);
        QVERIFY(apartBy(hueOf(got[1]), settings.darksHue) < 8.0 && chromaOf(got[1]) > 0.02);
        QVERIFY(chromaOf(got[2]) < 1e-6 && chromaOf(got[3]) < 1e-6); // black and white stay
        settings.balance = 100.0;
        QVERIFY(hueOf(through(Tints::make(settings), {{0.4, 0, 0}})[0]) > 0.0); // the lights' colour comes down
        settings.balance = -100.0;
        QVERIFY(hueOf(through(Tints::make(settings), {{0.7, 0, 0}})[0]) < 0.0);
    }
    void splineNeverOvershoots()
    {
        const std::array x{0.0, 0.2, 0.25, 0.8, 1.0}, y{0.0, 0.1, 0.7, 0.72, 1.0};
        const MonotoneSpline spline(x, y);
        double last = -1.0;
        for (int i = 0; i <= 1000; ++i) {
            const double value = spline(i / 1000.0);
            QVERIFY(value >= last);
            last = value;
        }
        for (size_t i = 0; i < x.size(); ++i)
            QVERIFY(std::abs(spline(x[i]) - y[i]) < 1e-12);
        QCOMPARE(spline(-1.0), 0.0);
        QCOMPARE(spline(2.0), 1.0);
        // A peak is a peak, and nothing lies above it.
        const MonotoneSpline hill(std::array{0.0, 0.5, 1.0}, std::array{0.0, 0.6, 0.2});
        for (int i = 0; i <= 100; ++i)
            QVERIFY(hill(i / 100.0) <= 0.6 + 1e-12);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, MonotoneSpline(std::array{0.0, 0.0}, std::array{0.0, 1.0}));
    }
    void curvesFollowTheirPoints()
    {
        CurveSettings settings;
        settings.luminance = {{0.0, 0.0}, {0.5, 0.65}, {1.0, 1.0}};
        const AdjustmentPtr curve = LightCurve::make(settings);
        const auto grey = float(decodeSrgb(0.5));
        QVERIFY(std::abs(encodeSrgb(double(ofRgb(curve, {grey, grey, grey})[1])) - 0.65) < 5e-4);
        const auto red = ofRgb(curve, {0.4f, 0.1f, 0.05f}); // colours keep their ratios
        QVERIFY(std::abs(red[0] / red[1] - 4.0f) < 1e-3f && std::abs(red[1] / red[2] - 2.0f) < 1e-3f);
        QVERIFY(std::abs(ofRgb(curve, {1.0f, 1.0f, 1.0f})[0] - 1.0f) < 1e-4f);
        QVERIFY(std::abs(ofRgb(curve, {2.0f, 2.0f, 2.0f})[0] - 2.0f) < 1e-3f); // nothing is cut before the end
        QVERIFY(ofRgb(curve, {0.0f, 0.0f, 0.0f})[0] < 2e-5f);
        double last = -1.0;
        for (int i = 0; i <= 400; ++i) {
            const auto light = float(i / 300.0);
            const double now = double(ofRgb(curve, {light, light, light})[0]);
            QVERIFY(now >= last);
            last = now;
        }
        CurveSettings blue;
        blue.blue = {{0.0, 0.1}, {1.0, 0.8}}; // lifts black, lowers white
        const auto lifted = ofRgb(LightCurve::make(blue), {0.0f, 0.0f, 0.0f});
        QVERIFY(lifted[0] == 0.0f && lifted[1] == 0.0f);
        QVERIFY(std::abs(encodeSrgb(double(lifted[2])) - 0.1) < 1e-3);
        CurveSettings black;
        black.luminance = {{0.0, 0.2}, {1.0, 1.0}};
        const auto lit = ofRgb(LightCurve::make(black), {0.0f, 0.0f, 0.0f});
        QVERIFY(std::abs(encodeSrgb(double(lit[0])) - 0.2) < 2e-3 && lit[0] == lit[2]);
        CurveSettings one;
        one.red = {{0.3, 0.4}, {0.3, 0.6}}; // all at one place
        QVERIFY(std::isfinite(ofRgb(LightCurve::make(one), {0.2f, 0.2f, 0.2f})[0]));
    }
    void groupsAreSwitchedOffAndPutBack()
    {
        Recipe r;
        settingsOf<Vibrance>(r.adjustments).vibrance = 30;
        settingsOf<LightCurve>(r.adjustments).red = {{0, 0.2}, {1, 1}};
        settingsOf<HueMarks>(r.adjustments).marks = {{20, 30, 10, 0, 0}};
        QVERIFY(inForce(r, Recipe()) == r);
        r.groups.off = {"curve", "hues"};
        QVERIFY(settingsOf<LightCurve>(inForce(r, Recipe()).adjustments) == CurveSettings());
        QVERIFY(settingsOf<HueMarks>(inForce(r, Recipe()).adjustments).marks.empty());
        QCOMPARE(settingsOf<Vibrance>(inForce(r, Recipe()).adjustments).vibrance, 30.0);
        Recipe on = r;
        on.groups.off.clear();
        QVERIFY(!areSameUpTo(Stage::Display, inForce(r, Recipe()), on));
        QVERIFY(areSameUpTo(Stage::Tone, inForce(r, Recipe()), on));
        const Recipe start;
        QVERIFY(isGroupChanged(Step::Colour, "Hues", r, start) && !isGroupChanged(Step::Colour, "Tints", r, start));
        const Recipe without = withoutGroup(r, Step::Colour, "Hues", start);
        QVERIFY(settingsOf<HueMarks>(without.adjustments).marks.empty());
        QCOMPARE(settingsOf<Vibrance>(without.adjustments).vibrance, 30.0);
        QVERIFY(withoutStep(r, Step::Colour, start).adjustments == AdjustmentSettings());
    }
};

QTEST_GUILESS_MAIN(TestAdjustments)
#include "tst_adjustments.moc"
