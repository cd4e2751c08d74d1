// What follows from the rows of sections and fields: paths, keys, marks, resets; and the kinds of rows that no section
// of the recipe has yet.
#include "base/field_text.h"
#include "recipe/json_values_p.h"
#include "recipe/recipe_json.h"
#include "recipe/sections.h"

#include <QTest>

#include <set>

using namespace yolk;

namespace {

struct Sample {
    bool on = false;
    double amount = 1.0;
    PointList curve{{0.0, 0.0}, {1.0, 1.0}};
    std::array<double, 3> colour{0.1, 0.2, 0.3};
    bool operator==(const Sample &) const = default;
};

constexpr auto kSampleFields = std::tuple{
    SwitchField<Sample>{"on", &Sample::on, "Group", "Name", "Help"},
    RealField<Sample>{"amount", &Sample::amount, 0, 2, 0, 0.1, 1, "", "Group", "Amount", "Help",
                      [](const Sample &s) { return s.on; }, true},
    PointsField<Sample>{"curve", &Sample::curve, {0.0, 0.0}, {1.0, 1.0}, 2, 16, "Group", "Curve", "Help"},
    ColourField<Sample>{"colour", &Sample::colour, "Group", "Colour", "Help"},
};

std::string refused(const std::function<void()> &work)
{
    try {
        work();
    } catch (const ArgumentError &e) {
        return e.what();
    }
    return {};
}

/// Another value than the one it has.
template <class S, class Field> void change(S &settings, const Field &field)
{
    auto &member = settings.*field.member;
    using Value = std::remove_cvref_t<decltype(member)>;
    if constexpr (IsReal<Field>)
        member = member == field.maximum ? field.minimum : field.maximum;
    else if constexpr (IsChoice<Field>)
        member = field.choices[member == field.choices[0].value ? 1 : 0].value;
    else if constexpr (std::is_same_v<Value, std::string>)
        member += "x";
    else if constexpr (std::is_same_v<Value, std::set<std::string>>)
        member.insert("frame");
    else if constexpr (std::is_same_v<Value, std::map<std::string, double>>)
        member["frame"] = 0.5;
    else if constexpr (std::is_same_v<Value, std::map<std::string, std::string>>)
        member["group"] = "name";
    else if constexpr (std::is_same_v<Value, bool>)
        member = !member;
    else if constexpr (std::is_same_v<Value, PointList>)
        member = {{0.0, 0.0}, {0.5, 0.6}, {1.0, 1.0}};
    else if constexpr (std::is_same_v<Value, SharedList<Area>>)
        member = std::vector<Area>(1);
    else if constexpr (std::is_same_v<Value, SharedList<DustSpot>>)
        member = std::vector<DustSpot>(1);
    else if constexpr (std::is_same_v<Value, SharedList<MendSpot>>)
        member = std::vector<MendSpot>(1);
    else
        member.emplace_back();
}

} // namespace

class TestSections : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyPathIsOneSetting()
    {
        std::set<std::string> paths;
        forEachSection([&](const auto &section) {
            forEachField(*section.fields, [&](const auto &field) {
                QVERIFY2(paths.insert(pathOf(section, field)).second, pathOf(section, field).c_str());
            });
        });
        QVERIFY(paths.contains("tone.range") && paths.contains("colour.saturation") && paths.contains("frames.keeper"));
    }
    void aKeyKnowsWhatItsStagesReadAndNothingElse()
    {
        int known = 0, unknown = 0, idle = 0;
        forEachSection([&](const auto &section) {
            forEachField(*section.fields, [&](const auto &field) {
                const Recipe plain;
                Recipe changed;
                change(section.of(changed), field);
                const bool counts = isVisible(section.of(plain), field) || isVisible(section.of(changed), field);
                for (const Stage last : {Stage::Prepare, Stage::Align, Stage::Merge, Stage::Mend, Stage::Scene,
                                         Stage::Tone, Stage::Display, Stage::Geometry, Stage::Write, Stage::None}) {
                    const bool reads = section.stage <= last && counts;
                    QVERIFY2(areSameUpTo(last, plain, changed) != reads, pathOf(section, field).c_str());
                    ++(reads ? known : !counts ? idle : unknown);
                }
                QVERIFY(areSameAt(section.stage, plain, changed) != counts);
            });
        });
        QVERIFY(known > 100 && unknown > 100 && idle > 5);
    }
    void strokesOfAnAreaCount()
    {
        Recipe a;
        a.movement.regions = {{HandTask::TakeFrom, "b", "a", 20.0, {{1, 2}, {3, 4}}}};
        Recipe b = a;
        QVERIFY(b.movement.regions[0].points.sharesWith(a.movement.regions[0].points)); // a copy costs nothing
        QVERIFY(areSameUpTo(Stage::Merge, a, b));
        b.movement.regions[0].points = {{1, 2}, {3, 4.5}};
        QVERIFY(!areSameUpTo(Stage::Merge, a, b) && areSameUpTo(Stage::Align, a, b));
        b.movement.regions[0].points = {{1, 2}, {3, 4}};
        QVERIFY(areSameUpTo(Stage::Merge, a, b) && a == b);
        b.movement.regions[0].task = HandTask::Treat;
        a.movement.regions[0].task = HandTask::Treat;
        b.movement.regions[0].frame = "c"; // nobody takes from it
        QVERIFY(areSameUpTo(Stage::Merge, a, b));
    }
    void groupsHaveOneNameEach()
    {
        std::set<std::string> keys;
        Stage last = Stage::Prepare;
        for (const SettingGroup &group : settingGroups()) {
            QVERIFY2(keys.insert(group.key).second, group.key.c_str());
            QVERIFY(group.stage >= last); // in the order of work
            last = group.stage;
        }
        const auto of = [](const char *key) {
            return *std::ranges::find(settingGroups(), std::string(key), &SettingGroup::key);
        };
        QVERIFY(of("zones").canBeWeakened && of("curve").canBeWeakened && of("hues").canBeWeakened);
        QVERIFY(of("two_lights").canBeWeakened);
        QVERIFY(!of("white_balance").canBeWeakened && !of("alignment").canBeWeakened && !of("movement").canBeWeakened);
    }
    void whatIsOffIsAsAtTheStart()
    {
        Recipe start, r;
        start.tone.exposure = 2.0;
        r.tone.exposure = 3.0;
        r.tone.shadows = 40.0;
        r.movement.sensitivity = 90.0;
        r.lamp = {60.0, 3200.0, 1.0};
        QVERIFY(inForce(r, start) == r);
        r.groups.names = {{"zones", "Window"}};
        QVERIFY(inForce(r, start).tone == r.tone);
        r.groups.off = {"brightness", "movement"};
        r.groups.strength = {{"zones", 25.0}, {"two_lights", 50.0}};
        const Recipe now = inForce(r, start);
        QCOMPARE(now.tone.exposure, 2.0);
        QCOMPARE(now.tone.shadows, 10.0);
        QCOMPARE(now.movement.sensitivity, start.movement.sensitivity);
        QCOMPARE(now.lamp, (LampSettings{30.0, 3200.0, 1.0})); // its colour is no amount
        QVERIFY(now.groups == GroupSettings());
        QVERIFY(inForce(now, start) == now);
    }
    void curvesAndMarksAreWeakenedToo()
    {
        Recipe r;
        settingsOf<LightCurve>(r.adjustments).luminance = {{0.0, 0.0}, {0.5, 0.7}, {1.0, 1.0}};
        settingsOf<HueMarks>(r.adjustments).marks = {{60, 40, 10, 20, -6}};
        r.groups.strength = {{"curve", 50.0}, {"hues", 50.0}};
        const Recipe now = inForce(r, Recipe());
        QCOMPARE(settingsOf<LightCurve>(now.adjustments).luminance[1].y, 0.6);
        QCOMPARE(settingsOf<HueMarks>(now.adjustments).marks[0], (HueMark{60, 40, 5, 10, -3}));
    }
    void whatIsMovedSwitchesItsGroupOn()
    {
        Recipe before;
        before.groups.off = {"zones", "hues"};
        Recipe after = before;
        turnTouchedGroupsOn(after, before);
        QVERIFY(after == before);
        after.tone.shadows = 1.0;
        turnTouchedGroupsOn(after, before);
        QVERIFY(after.groups.off == std::set<std::string>{"hues"});
    }
    void aStepReturnsWithWhatIsSaidOfItsGroups()
    {
        Recipe r;
        r.tone.shadows = 1.0;
        r.groups.off = {"zones", "hues"};
        r.groups.strength = {{"zones", 50.0}};
        r.groups.names = {{"hues", "Boards"}};
        const Recipe tone = withoutStep(r, Step::Tone, {});
        QVERIFY(tone.groups.off == std::set<std::string>{"hues"} && tone.groups.strength.empty());
        QCOMPARE(tone.groups.names.at("hues"), std::string("Boards"));
        const Recipe hues = withoutGroup(r, Step::Colour, "Hues", {});
        QVERIFY(hues.groups.off == std::set<std::string>{"zones"} && hues.groups.names.empty());
    }
    void stepsAreMarkedByWhatTheyHold()
    {
        const Recipe start;
        Recipe r;
        r.frames.influence["f"] = 0.5;
        QVERIFY(isChanged(Step::Merge, r, start) && !isChanged(Step::Frames, r, start));
        r = {};
        r.frames.excluded = {"f"};
        QVERIFY(isChanged(Step::Frames, r, start) && !isChanged(Step::Merge, r, start));
        r = {};
        settingsOf<Saturation>(r.adjustments).saturation = 5;
        QVERIFY(isChanged(Step::Colour, r, start) && !isChanged(Step::Tone, r, start));
        r = {};
        settingsOf<Vibrance>(r.adjustments).vibrance = 5;
        QVERIFY(isChanged(Step::Colour, r, start));
        r = {};
        r.tone.gamma = 2.0; // does nothing under the method that is taken
        r.preset.name = "Some";
        QVERIFY(!isChanged(Step::Tone, r, start));
        r.tone.method = ToneMethod::Plain;
        QVERIFY(isChanged(Step::Tone, r, start));
    }
    void resetsAndPartsFollow()
    {
        Recipe r;
        r.tone.exposure = 2;
        settingsOf<Saturation>(r.adjustments).saturation = 20;
        settingsOf<Vibrance>(r.adjustments).vibrance = 30;
        r.movement.sensitivity = 10;
        r.preset = {"Some", 70};
        Recipe start;
        start.tone.exposure = 1;
        const Recipe again = withoutPresets(r, start);
        QCOMPARE(again.tone.exposure, 1.0);
        QVERIFY(again.adjustments == AdjustmentSettings());
        QVERIFY(again.preset == PresetUse() && again.movement == r.movement);
        const Recipe merge = onlyUpTo(Stage::Merge, r);
        QVERIFY(merge.movement == r.movement && merge.tone == ToneSettings() &&
                merge.adjustments == AdjustmentSettings());
    }
    void adjustmentsAreSettingsLikeOthers()
    {
        Recipe r;
        setByPath(r, "colour.vibrance", "40");
        QCOMPARE(settingsOf<Vibrance>(r.adjustments).vibrance, 40.0);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, setByPath(r, "colour.vibrance", "140"));
        QVERIFY(parseRecipe(recipeText(r)).recipe == r);
        QVERIFY(recipeText(r).find("vibrance") != std::string::npos);
    }
    void allKindsOfRowsComeBackFromFiles()
    {
        const Sample sample{true, 0.1, {{0.0, 0.25}, {2.0 / 3.0, 0.5}, {1.0, 1.0}}, {0.0, 1.0 / 3.0, 1.0}};
        nlohmann::json object;
        forEachField(kSampleFields,
                     [&](const auto &field) { object[std::string(field.key)] = valueOf(sample, field); });
        const auto text = object.dump();
        Sample back;
        readItem(back, kSampleFields, nlohmann::json::parse(text), "sample");
        QVERIFY(back == sample);
    }
    void badValuesOfAllKindsNameTheirPath()
    {
        const auto reading = [](const char *text) {
            return refused([&] {
                Sample s;
                readItem(s, kSampleFields, nlohmann::json::parse(text), "s");
            });
        };
        QCOMPARE(reading(R"({"on": 1})"), std::string("s.on: must be true or false"));
        QCOMPARE(reading(R"({"curve": 1})"), std::string("s.curve: must be a list of pairs of numbers"));
        QCOMPARE(reading(R"({"curve": [[0, 0]]})"), std::string("s.curve: must have 2 to 16 points"));
        QCOMPARE(reading(R"({"curve": [[0, 0], [1, 2]]})"), std::string("s.curve = 2: must lie in 0 to 1"));
        QCOMPARE(reading(R"({"colour": [1, 2]})"), std::string("s.colour: must be three numbers"));
        QCOMPARE(reading(R"({"colour": [0, 0, -1]})"), std::string("s.colour = -1: must lie in 0 to 1"));
        QCOMPARE(reading("3"), std::string("s: must hold objects"));
    }
    void wordsSetAllKinds()
    {
        Sample s;
        const auto set = [&](std::string_view key, std::string_view text) {
            forEachField(kSampleFields, [&](const auto &field) {
                if (field.key == key)
                    assignText(s, field, text, "s." + std::string(key));
            });
        };
        set("on", "on");
        set("amount", "0.5");
        set("curve", "0,0.5 1,1");
        set("colour", "1,0.5,0");
        QVERIFY(s == (Sample{true, 0.5, {{0, 0.5}, {1, 1}}, {1, 0.5, 0}}));
        for (const auto &[key, text] :
             {std::pair("on", "yes"), std::pair("amount", "3"), std::pair("amount", "x"), std::pair("curve", "0 1"),
              std::pair("curve", "0,0"), std::pair("colour", "1,2"), std::pair("colour", "a,b,c")})
            QVERIFY2(refused([&, key = key, text = text] { set(key, text); }).starts_with(std::string("s.") + key),
                     text);
    }
    void aRowIsFoundByItsMember()
    {
        QCOMPARE(std::string(fieldOf<kToneFields, &ToneSettings::shadows>().key), std::string("shadows"));
        QCOMPARE(std::string(fieldOf<kSampleFields, &Sample::colour>().key), std::string("colour"));
    }
};

QTEST_GUILESS_MAIN(TestSections)
#include "tst_sections.moc"
