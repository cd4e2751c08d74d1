// Settings that go from one picture to another.
#include "recipe/copied_settings.h"
#include "recipe/preset.h"
#include "recipe/sections.h"

#include <QTest>

using namespace yolk;

namespace {

CopiedSettings example()
{
    CopiedSettings out;
    out.start.tone.exposure = 2.0;
    out.settings = out.start;
    out.settings.tone.exposure = 2.5;
    out.settings.tone.method = ToneMethod::Global;
    out.settings.white = {WhiteMode::Own, 4000.0, 3.0};
    out.settings.frames.excluded = {"a"};
    out.settings.frames.keeper = "b";
    HandRegion region;
    region.points = {{1, 1}, {2, 2}, {3, 1}};
    out.settings.movement.regions = {region};
    out.settings.movement.sensitivity = 80.0;
    out.settings.lamp.strength = 40.0;
    settingsOf<HueMarks>(out.settings.adjustments).marks = {{60, 40, 10, 20, -5}};
    out.settings.groups.off = {"two_lights"};
    out.settings.groups.strength = {{"hues", 50.0}};
    out.settings.groups.names = {{"hues", "Boards"}};
    return out;
}

std::set<std::string> all()
{
    std::set<std::string> out;
    for (const SettingGroup &group : settingGroups())
        out.insert(group.key);
    return out;
}

} // namespace

class TestCopiedSettings : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void amountsGoByTheirDistanceFromTheStart()
    {
        Recipe start;
        start.tone.exposure = -1.0;
        const Recipe to = withCopied(start, start, example(), all());
        QCOMPARE(to.tone.exposure, -0.5);
        QCOMPARE(to.tone.method, ToneMethod::Global);
        QCOMPARE(to.white.temperature, 4000.0);
        QCOMPARE(to.lamp.strength, 40.0);
        QCOMPARE(settingsOf<HueMarks>(to.adjustments).marks.size(), size_t(1));
        QCOMPARE(to.movement.sensitivity, 80.0);
        QVERIFY(to.groups == example().settings.groups);
        Recipe bright = start;
        bright.tone.exposure = fieldOf<kToneFields, &ToneSettings::exposure>().maximum;
        QCOMPARE(withCopied(bright, bright, example(), all()).tone.exposure, bright.tone.exposure); // stays in range
    }
    void whatIsOfSingleFramesStays()
    {
        Recipe mine;
        mine.frames.excluded = {"x"};
        const Recipe to = withCopied(mine, {}, example(), all());
        QVERIFY(to.frames == mine.frames);
        QVERIFY(to.movement.regions.empty());
    }
    void onlyThePartsThatAreAskedFor()
    {
        Recipe mine;
        mine.lamp.strength = 10.0;
        mine.groups.off = {"zones"};
        const Recipe to = withCopied(mine, {}, example(), {"hues"});
        QCOMPARE(to.lamp.strength, 10.0);
        QCOMPARE(to.tone, mine.tone);
        QCOMPARE(settingsOf<HueMarks>(to.adjustments).marks.size(), size_t(1));
        QVERIFY(to.groups.off == (std::set<std::string>{"zones"}));
        QCOMPARE(to.groups.strength.at("hues"), 50.0);
        QCOMPARE(withCopied(mine, {}, example(), {}), mine);
    }
    void thePresetComesWithAllOfIt()
    {
        CopiedSettings copied = example();
        copied.settings.preset = {"Poached", 80.0};
        QCOMPARE(withCopied({}, {}, copied, all()).preset, copied.settings.preset);
        Recipe mine;
        mine.preset = {"Shell", 100.0};
        QCOMPARE(withCopied(mine, {}, copied, {"zones"}).preset, PresetUse()); // a part of one is none
        QCOMPARE(withCopied(mine, {}, copied, {"white_balance"}).preset, mine.preset);
    }
    void textComesBack()
    {
        const CopiedSettings was = example();
        QVERIFY(parseCopied(copiedText(was)) == was);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseCopied("text of somebody else"));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseCopied("{\"format\":\"yolk-copied-settings\",\"version\":1}"));
        std::string newer = copiedText(was);
        newer.replace(newer.rfind("\"version\":1"), 11, "\"version\":9");
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseCopied(newer));
    }
};

QTEST_GUILESS_MAIN(TestCopiedSettings)
#include "tst_copied_settings.moc"
