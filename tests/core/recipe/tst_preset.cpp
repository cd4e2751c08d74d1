#include "base/errors.h"
#include "recipe/neighbours.h"
#include "recipe/preset.h"
#include "recipe/recipe_json.h"
#include "tone/tone_curve.h"

#include <QTest>

using namespace yolk;

namespace {

Recipe startOf(const ToneStart &start)
{
    Recipe out;
    out.tone = automaticTone(start);
    return out;
}

Preset example()
{
    return {.name = "Example",
            .group = "Own",
            .description = "Two settings",
            .parts = {"method", "brightness"},
            .values = {{"tone.range", 10.0}, {"tone.exposure", -0.5}, {"tone.method", std::string("global")}}};
}

} // namespace

class TestPreset : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void ours()
    {
        std::set<std::string> names, groups;
        for (const Preset &preset : builtInPresets()) {
            names.insert(preset.name);
            groups.insert(preset.group);
            QVERIFY2(!preset.description.empty(), preset.name.c_str());
            QCOMPARE(parsePreset(presetText(preset)), preset);
        }
        QCOMPARE(names.size(), builtInPresets().size());
        QVERIFY(names.size() >= 16);
        QCOMPARE(groups, (std::set<std::string>{"Natural", "Interior", "Land and sky", "Night", "Monochrome", "Bold"}));
        QCOMPARE(presetNamed("Poached").group, std::string("Interior"));
        try {
            presetNamed("No such");
            QFAIL("a name that there is none of");
        } catch (const ArgumentError &e) {
            QVERIFY(QByteArray(e.what()).contains("Poached")); // it says what there is
        }
    }
    void suitsItselfToThePicture()
    {
        const Recipe dark = startOf(completed({-9.0, -6.3, 2.8, 4.1})),
                     plain = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        for (const Recipe &start : {dark, plain}) {
            const Recipe got = withPreset(start, example(), 100, start);
            QCOMPARE(got.tone.range, start.tone.range + 10);
            QCOMPARE(got.tone.exposure, start.tone.exposure - 0.5);
            QCOMPARE(int(got.tone.method), int(ToneMethod::Global));
            QCOMPARE(got.preset, (PresetUse{"Example", 100}));
        }
    }
    void amountBlends()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        QCOMPARE(withPreset(start, example(), 50, start).tone.range, start.tone.range + 5);
        QCOMPARE(withPreset(start, example(), 150, start).tone.range, start.tone.range + 15);
        const Recipe none = withPreset(start, example(), 0, start);
        QCOMPARE(none.tone, start.tone); // neutral, its method too
        QVERIFY_THROWS_EXCEPTION(ArgumentError, withPreset(start, example(), 151, start));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, withPreset(start, example(), std::nan(""), start));
    }
    void whatItDoesNotHoldStays()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        Recipe before = start;
        before.tone.shadows = 30;  // zones are no part of it
        before.tone.contrast = 25; // brightness is, and it leaves contrast at the start
        settingsOf<Saturation>(before.adjustments).saturation = 9;
        const Recipe got = withPreset(before, example(), 100, start);
        QCOMPARE(got.tone.shadows, 30.0);
        QCOMPARE(got.tone.contrast, start.tone.contrast);
        QCOMPARE(settingsOf<Saturation>(got.adjustments).saturation, 9.0);
    }
    void changesByHandStayOnTop()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        Recipe recipe = withPreset(start, example(), 100, start);
        recipe.tone.exposure += 0.25;
        QCOMPARE(withPreset(recipe, example(), 50, start).tone.exposure, start.tone.exposure - 0.25 + 0.25);
        Preset other = example();
        other.name = "Other";
        QCOMPARE(withPreset(recipe, other, 100, start).tone.exposure,
                 start.tone.exposure - 0.5); // a new one starts anew
    }
    void keepsWhatWasAsked()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        Recipe recipe = start;
        recipe.tone.shadows = 20;
        recipe.tone.range = start.tone.range + 7;
        settingsOf<Saturation>(recipe.adjustments).saturation = -30;
        const Preset zones = presetOf(recipe, start, {"zones", "colour"});
        QCOMPARE(zones.values.size(), size_t(2));
        QCOMPARE(std::get<double>(zones.values.at("tone.shadows")), 20.0);
        QCOMPARE(std::get<double>(zones.values.at("colour.saturation")), -30.0);
        const Recipe again =
            withPreset(start, presetOf(recipe, start, {"method", "brightness", "zones", "colour"}), 100, start);
        QCOMPARE(again.tone, recipe.tone);
        QVERIFY(again.adjustments == recipe.adjustments);
    }
    void curvesAndMarksAreHeld()
    {
        const Recipe start = startOf(completed({-9.0, -6.3, 2.8, 4.1}));
        Recipe recipe = start;
        settingsOf<LightCurve>(recipe.adjustments).luminance = {{0, 0}, {0.5, 0.6}, {1, 1}};
        settingsOf<HueMarks>(recipe.adjustments).marks = {{100, 40, -10, -30, 5}, {30, 60, 0, 20, 0}};
        Preset preset = presetOf(recipe, start, {"curve", "hues"});
        preset.name = "Drawn";
        preset.group = "Own";
        QCOMPARE(preset.values.size(), size_t(2));
        QVERIFY(presetText(preset).find("\"hue\": 100") != std::string::npos); // not text within text
        QCOMPARE(parsePreset(presetText(preset)), preset);
        const Recipe full = withPreset(start, preset, 100, start);
        QVERIFY(full.adjustments == recipe.adjustments);
        const Recipe half = withPreset(full, preset, 50, start);
        const auto marksOf = [](const Recipe &r) { return settingsOf<HueMarks>(r.adjustments).marks; };
        QVERIFY((marksOf(half) == std::vector<HueMark>{{100, 40, -5, -15, 2.5}, {30, 60, 0, 10, 0}}));
        QCOMPARE(settingsOf<LightCurve>(half.adjustments).luminance[1].y, 0.55);
        QVERIFY(withPreset(half, preset, 0, start).adjustments == start.adjustments);
        // What is drawn on top stays.
        Recipe byHand = half;
        settingsOf<HueMarks>(byHand.adjustments).marks.push_back({200, 30, 0, 50, 0});
        settingsOf<LightCurve>(byHand.adjustments).luminance = {{0, 0.1}, {1, 1}};
        const Recipe again = withPreset(byHand, preset, 100, start);
        QVERIFY(
            (marksOf(again) == std::vector<HueMark>{{100, 40, -10, -30, 5}, {30, 60, 0, 20, 0}, {200, 30, 0, 50, 0}}));
        QVERIFY(settingsOf<LightCurve>(again.adjustments).luminance == (PointList{{0, 0.1}, {1, 1}}));
        // Another preset's come away with it.
        QVERIFY(marksOf(withPreset(full,
                                   {.name = "None", .group = "Own", .description = "", .parts = {"hues"}, .values = {}},
                                   100, start))
                    .empty());
        for (const char *bad : {"[[0,0],[2,1]]", "[[0,0]]", "3", "[{\"hue\": 900}]"}) {
            Preset wrong = preset;
            wrong.values["curve.luminance"] = std::string(bad);
            QVERIFY_THROWS_EXCEPTION(ArgumentError, parsePreset(presetText(wrong)));
        }
    }
    void badFilesAreRefused_data()
    {
        QTest::addColumn<QByteArray>("from");
        QTest::addColumn<QByteArray>("to");
        QTest::addColumn<QByteArray>("says");
        QTest::newRow("format") << QByteArray("yolk-preset") << QByteArray("other") << QByteArray("no");
        QTest::newRow("version") << QByteArray("\"version\": 3") << QByteArray("\"version\": 4")
                                 << QByteArray("version");
        QTest::newRow("name") << QByteArray("Example") << QByteArray("") << QByteArray("name");
        QTest::newRow("lines") << QByteArray("Example") << QByteArray("a\\nb") << QByteArray("name");
        QTest::newRow("part") << QByteArray("\"brightness\"") << QByteArray("\"lens\"") << QByteArray("lens");
        QTest::newRow("far") << QByteArray("-0.5") << QByteArray("-50") << QByteArray("tone.exposure");
        QTest::newRow("choice") << QByteArray("\"global\"") << QByteArray("\"other\"") << QByteArray("tone.method");
        QTest::newRow("type") << QByteArray("\"global\"") << QByteArray("3") << QByteArray("tone.method");
        QTest::newRow("stray") << QByteArray("tone.exposure") << QByteArray("tone.shadows")
                               << QByteArray("tone.shadows");
        QTest::newRow("cut") << QByteArray("\"version\": 3\n}") << QByteArray("") << QByteArray("preset");
    }
    void badFilesAreRefused()
    {
        QFETCH(QByteArray, from);
        QFETCH(QByteArray, to);
        QFETCH(QByteArray, says);
        QByteArray text = QByteArray::fromStdString(presetText(example()));
        QVERIFY(text.contains(from));
        text.replace(from, to);
        try {
            parsePreset(text.toStdString());
            QFAIL("a bad preset was read");
        } catch (const ArgumentError &e) {
            QVERIFY2(QByteArray(e.what()).contains(says), e.what());
        }
    }
    void neighboursLieRoundThePresent()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        const auto nine = neighboursOf(start, 1.0);
        QCOMPARE(nine[kPresentNeighbour], start);
        for (size_t i = 0; i < nine.size(); ++i) {
            const double column = double(i % 3) - 1.0, row = double(i / 3) - 1.0;
            QCOMPARE(nine[i].tone.exposure > start.tone.exposure, column > 0);
            QCOMPARE(nine[i].tone.localContrast < start.tone.localContrast, row < 0);
        }
        const auto finer = neighboursOf(start, 0.5);
        QCOMPARE(2 * (finer[5].tone.exposure - start.tone.exposure), nine[5].tone.exposure - start.tone.exposure);
        Recipe extreme = start; // values stay within their ranges
        extreme.tone.exposure = 12.0;
        extreme.tone.localContrast = 100.0;
        QCOMPARE(neighboursOf(extreme, 1.0)[8].tone.exposure, 12.0);
        QCOMPARE(neighboursOf(extreme, 1.0)[8].tone.localContrast, 100.0);
    }
    void recipesRememberIt()
    {
        const Recipe start = startOf(completed({-4.0, -0.5, 2.0, 2.4}));
        const Recipe recipe = withPreset(start, example(), 80, start);
        QCOMPARE(parseRecipe(recipeText(recipe)).recipe, recipe);
        std::string text = recipeText(recipe);
        text.replace(text.find("80.0"), 4, "800");
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseRecipe(text));
    }
};

QTEST_GUILESS_MAIN(TestPreset)
#include "tst_preset.moc"
