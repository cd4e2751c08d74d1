#include "base/errors.h"
#include "recipe/history.h"
#include "recipe/recipe_json.h"
#include "recipe/sections.h"
#include "support/synthetic.h"

#include <QTest>

#include <random>

using namespace yolk;

namespace {

std::string reasonOf(const std::string &text)
{
    try {
        parseRecipe(text);
        return {};
    } catch (const ArgumentError &e) {
        return e.what();
    }
}

std::string file(const std::string &body)
{
    return R"({"format": "yolk-recipe", "version": 1)" + (body.empty() ? "" : ", " + body) + "}";
}

} // namespace

class TestRecipe : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyNumberComesBackBitForBit()
    {
        std::mt19937 random(1);
        for (int i = 0; i < 100; ++i) {
            Recipe recipe;
            forEachSection([&](const auto &section) {
                forEachField(*section.fields, [&](const auto &field) {
                    auto &member = section.of(recipe).*field.member;
                    if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>)
                        member = std::uniform_real_distribution(field.minimum, field.maximum)(random);
                    else if constexpr (IsChoice<std::remove_cvref_t<decltype(field)>>)
                        member = field.choices[random() % field.choices.size()].value;
                });
            });
            recipe.frames.reference = "abc";
            recipe.frames.excluded = {"d", "e"};
            recipe.frames.unaligned = {"h"};
            recipe.frames.influence = {{"f", 0.1}, {"g", 1.7}};
            QVERIFY(parseRecipe(recipeText(recipe)).recipe == recipe);
        }
    }
    void fileOfVersionOneIsRead()
    {
        const ReadRecipe read =
            parseRecipe(test::bytesOf(QStringLiteral(YOLK_SOURCE_DIR "/tests/data/recipe-v1.json")).toStdString());
        QCOMPARE(read.recipe.tone.range, 62.5);
        QCOMPARE(read.recipe.tone.method, ToneMethod::Plain);
        QCOMPARE(read.recipe.output.space, OutputSpace::DisplayP3);
        QCOMPARE(read.recipe.frames.excluded.size(), size_t(1));
        QVERIFY(read.unknown.empty());
    }
    void fileOfVersionTwoIsRead()
    {
        const ReadRecipe read =
            parseRecipe(test::bytesOf(QStringLiteral(YOLK_SOURCE_DIR "/tests/data/recipe-v2.json")).toStdString());
        QVERIFY(read.unknown.empty());
        QVERIFY((read.recipe.white == WhiteSettings{WhiteMode::Own, 5600, -2.5})); // not converted as of version 1
        QVERIFY((read.recipe.lamp == LampSettings{80, 2700, 1.5}));
        QVERIFY(inForce(read.recipe, Recipe()).adjustments != read.recipe.adjustments);
        QVERIFY((settingsOf<HueMarks>(read.recipe.adjustments).marks == std::vector<HueMark>{{95, 40, -8, -20, 4}}));
        QCOMPARE(settingsOf<LightCurve>(read.recipe.adjustments).luminance[1].y, 0.45);
    }
    void missingKeysTakeDefaults()
    {
        QVERIFY(parseRecipe(file("")).recipe == Recipe());
        QCOMPARE(parseRecipe(file(R"("tone": {"range": 10})")).recipe.tone.range, 10.0);
    }
    void unknownKeysAreKeptReportedAndWrittenBack()
    {
        const ReadRecipe read = parseRecipe(file(R"("tone": {"range": 10, "sparkle": 3}, "future": {"a": [1, 2]})"));
        QCOMPARE(read.unknownPaths, (std::vector<std::string>{"future.a", "tone.sparkle"}));
        const std::string again = recipeText(read.recipe, read.unknown);
        const ReadRecipe second = parseRecipe(again);
        QCOMPARE(second.unknown, read.unknown);
        QVERIFY(second.recipe == read.recipe);
    }
    void badValuesNameTheirPath()
    {
        QVERIFY(reasonOf(file(R"("tone": {"range": 500})")).starts_with("tone.range = 500: must lie in 0 to 100"));
        QVERIFY(reasonOf(file(R"("tone": {"range": "much"})")).starts_with("tone.range: must be a number"));
        QVERIFY(reasonOf(file(R"("tone": {"method": "magic"})"))
                    .starts_with("tone.method = magic: must be one of plain, global"));
        QVERIFY(reasonOf(file(R"("tone": 3)")).starts_with("tone: must be an object"));
        QVERIFY(reasonOf(file(R"("frames": {"influence": {"a": 3}})")).starts_with("frames.influence = 3"));
        QVERIFY(reasonOf(file(R"("tone": {"range": 1e999})")) != ""); // infinity
        QVERIFY(reasonOf("{") == "is not a Yolk settings file");
        QVERIFY(reasonOf("[1]") == "is not a Yolk settings file");
        QVERIFY(reasonOf(R"({"format": "yolk-recipe", "version": 99})").find("newer Yolk") != std::string::npos);
        QVERIFY(reasonOf(R"({"format": "yolk-recipe", "version": "1"})").starts_with("version"));
    }
    void pathsSetValues()
    {
        Recipe recipe;
        setByPath(recipe, "tone.range", "60");
        setByPath(recipe, "tone.method", "plain");
        setByPath(recipe, "export.space", "rec2020");
        QCOMPARE(recipe.tone.range, 60.0);
        QCOMPARE(recipe.tone.method, ToneMethod::Plain);
        QCOMPARE(recipe.output.space, OutputSpace::Rec2020);
        for (const auto &[path, value] :
             {std::pair("tone.rnage", "60"), std::pair("tone.range", "sixty"), std::pair("tone.range", "60x"),
              std::pair("tone.range", "nan"), std::pair("tone.range", "-1"), std::pair("tone", "1")})
            QVERIFY_THROWS_EXCEPTION(ArgumentError, setByPath(recipe, path, value));
        QCOMPARE(recipe.tone.range, 60.0);
    }
    void historyGoesAnywhere()
    {
        History history;
        for (int i = 1; i <= 5; ++i) {
            Recipe next = history.current();
            next.tone.range = i;
            history.push(next, "step " + std::to_string(i), "drag");
        }
        QCOMPARE(history.states().size(), size_t(2)); // one drag
        for (int i = 1; i <= 5; ++i) {
            Recipe next = history.current();
            next.tone.range = 10 * i;
            history.push(next, "step " + std::to_string(i));
        }
        QCOMPARE(history.states().size(), size_t(7));
        history.goTo(2);
        QCOMPARE(history.at(), size_t(2));
        QCOMPARE(history.current().tone.range, 10.0);
        QCOMPARE(history.redoName(), std::string("step 2"));
        history.goTo(99);
        QCOMPARE(history.current().tone.range, 50.0);
        history.goTo(0);
        QVERIFY(!history.canUndo() && history.canRedo());
        QCOMPARE(history.states().size(), size_t(7)); // nothing is lost by looking back
        QCOMPARE(history.statesSoFar().size(), size_t(1));
    }
    void historyMergesOneGesture()
    {
        History history;
        Recipe r;
        const auto drag = [&](double range, const char *gesture) {
            r.tone.range = range;
            return history.push(r, "range", gesture);
        };
        QVERIFY(drag(10, "a") && drag(20, "a") && drag(30, "a") && drag(40, "b"));
        QVERIFY(!drag(40, "b")); // nothing changed
        history.undo();
        QCOMPARE(history.current().tone.range, 30.0);
        QCOMPARE(history.redoName(), std::string("range"));
        history.undo();
        QCOMPARE(history.current().tone.range, 0.0);
        QVERIFY(!history.canUndo());
        history.undo(); // nothing to take back
        history.redo();
        QCOMPARE(history.current().tone.range, 30.0);
        drag(50, "c"); // what was undone is gone
        QVERIFY(!history.canRedo());
        history.undo();
        QCOMPARE(history.current().tone.range, 30.0);
        drag(60, "a"); // an old gesture after undo starts an entry of its own
        history.undo();
        QCOMPARE(history.current().tone.range, 30.0);
    }
    void drawnAreasComeBackBitForBit()
    {
        Recipe recipe;
        recipe.movement.mode = MovementMode::Off;
        recipe.movement.regions = {{HandTask::Treat, {}, "a", 0.0, {{0.1, 2.0 / 3.0}, {1e-7, -33.25}, {12, 5}}},
                                   {HandTask::LeaveAlone, {}, "a", 0.0, {{1, 2}}},
                                   {HandTask::TakeFrom, "b", "a", 61.7, {{100, 200}}}};
        QVERIFY(parseRecipe(recipeText(recipe)).recipe == recipe);
        QVERIFY(parseRecipe(recipeText(recipe)).unknownPaths.empty());
    }
    void badAreasAreRefused_data()
    {
        QTest::addColumn<QString>("regions");
        QTest::addColumn<QString>("said");
        QTest::newRow("no list") << "{}"
                                 << "must be a list";
        QTest::newRow("no points") << R"([{"task": "treat"}])"
                                   << "must have 1 to 4000 points";
        QTest::newRow("empty") << R"([{"task": "treat", "points": []}])"
                               << "must have 1 to 4000 points";
        QTest::newRow("task") << R"([{"task": "eat", "points": [[1, 2]]}])"
                              << "must be one of treat, leave, take";
        QTest::newRow("pair") << R"([{"task": "treat", "points": [[1, 2, 3]]}])"
                              << "pairs of numbers";
        QTest::newRow("text") << R"([{"task": "treat", "points": [["x", 2]]}])"
                              << "must be a number";
        QTest::newRow("far") << R"([{"task": "treat", "points": [[1e9, 2]]}])"
                             << "must lie in -1e+06";
        QTest::newRow("brush") << R"([{"task": "take", "frame": "b", "radius": -1, "points": [[1, 2]]}])"
                               << "0 to 10000";
    }
    void badAreasAreRefused()
    {
        QFETCH(QString, regions);
        QFETCH(QString, said);
        const std::string text =
            R"({"format": "yolk-recipe", "version": 1, "movement": {"regions": )" + regions.toStdString() + "}}";
        try {
            parseRecipe(text);
            QFAIL("it was taken");
        } catch (const ArgumentError &e) {
            QVERIFY2(QString::fromStdString(e.what()).contains(said), e.what());
        }
    }
};

QTEST_GUILESS_MAIN(TestRecipe)
#include "tst_recipe.moc"
