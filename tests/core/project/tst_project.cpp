// Projects as text: everything comes back, and what is no project is refused in one line.
#include "base/errors.h"
#include "project/project.h"
#include "render/render.h"
#include "render/set/measured_json.h"

#include <QTest>

using namespace yolk;

namespace {

Project example()
{
    Project out;
    out.frames = {{"a.dng", "00112233445566778899aabbccddeeff"}, {"b.dng", "ffeeddccbbaa99887766554433221100"}};
    for (int i = 0; i < 5; ++i) {
        Recipe next = out.history.current();
        next.tone.exposure = 0.1 * i + 1.0 / 3.0;
        next.lamp.strength = i;
        settingsOf<HueMarks>(next.adjustments).marks.push_back({10.0 * i, 40, 1, 2, 3});
        out.history.push(next, "step " + std::to_string(i));
    }
    out.versions = {{"first", out.history.opening()}, {"second", out.history.current()}};
    Measured measured;
    measured.frames.resize(2);
    measured.frames[1].exposure = 4.0;
    out.measured = measured;
    return out;
}

QByteArray refusal(const std::string &text)
{
    try {
        parseProject(text);
    } catch (const ArgumentError &e) {
        return e.what();
    }
    return {};
}

} // namespace

class TestProject : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everythingComesBack()
    {
        const Project was = example(), is = parseProject(projectText(was));
        QCOMPARE(is.frames, was.frames);
        QVERIFY(is.history.current() == was.history.current());
        QVERIFY(is.history.opening() == was.history.opening());
        QCOMPARE(is.history.statesSoFar().size(), was.history.statesSoFar().size());
        QCOMPARE(is.history.undoName(), std::string("step 4"));
        QVERIFY(!is.history.canRedo());
        QCOMPARE(is.versions, was.versions);
        QVERIFY(is.measured && measuredText(*is.measured) == measuredText(*was.measured));
        QVERIFY(is.folder.empty() && is.unknown.empty());
        QCOMPARE(projectText(is), projectText(was));
    }
    void namesOfFilesMayBeAnyBytes()
    {
        Project odd = example();
        odd.frames[0].name = "\xff\xfe.dng";
        const Project is = parseProject(projectText(odd));
        QCOMPARE(is.frames[0].id, odd.frames[0].id);
    }
    void historyStopsSomewhere()
    {
        Project project = example();
        for (int i = 0; i < 200; ++i) {
            Recipe next = project.history.current();
            next.tone.exposure = -0.01 * i;
            project.history.push(next, "drag");
        }
        const Project is = parseProject(projectText(project));
        QCOMPARE(is.history.statesSoFar().size(), kStatesKept + 1);
        QVERIFY(is.history.current() == project.history.current());
        project.history.undo(); // what was undone is not kept
        QVERIFY(parseProject(projectText(project)).history.current() == project.history.current());
    }
    void keysOfANewerYolkStay()
    {
        std::string text = projectText(example());
        text.insert(1, "\"rating\":{\"eggs\":4},");
        const Project is = parseProject(text);
        QCOMPARE(is.unknown, std::string("{\"rating\":{\"eggs\":4}}"));
        QVERIFY(projectText(is).find("\"rating\":{\"eggs\":4}") != std::string::npos);
    }
    void whatIsNoProjectIsRefused()
    {
        const std::string good = projectText(example());
        const auto with = [&](const std::string &from, const std::string &to) {
            std::string out = good;
            const size_t at = out.find(from);
            return at == std::string::npos ? std::string("not found") : out.replace(at, from.size(), to);
        };
        QVERIFY(refusal(good).isEmpty());
        QVERIFY(refusal("").contains("project"));
        QVERIFY(refusal(good.substr(0, good.size() / 2)).contains("project"));
        QVERIFY(refusal(std::string(100000, '[')).contains("deeply"));
        QVERIFY(refusal(with("\"version\":1,\"versions\"", "\"version\":99,\"versions\"")).contains("newer"));
        QVERIFY(refusal(with("a.dng", "../a.dng")).contains("frames.name"));
        QVERIFY(refusal(with("a.dng", "/etc/a.dng")).contains("frames.name"));
        QVERIFY(refusal(with("\"a.dng\"", "7")).contains("frames.name"));
        QVERIFY(refusal(with("\"strength\":4", "\"strength\":400")).contains("lamp.strength"));
        QVERIFY(refusal(with("\"history\":[", "\"history\":{\"a\":[").append("}")).size() > 0);
        Project measured = example();
        measured.measured->frames.resize(1);
        QVERIFY(refusal(projectText(measured)).contains("measured"));
        Project many = example();
        many.measured.reset();
        many.frames.resize(kMostFrames + 1, many.frames.front());
        QVERIFY(refusal(projectText(many)).contains("frames"));
    }
    void cutAnywhereIsOneLine() // a text that ends too early, or has a byte that is wrong
    {
        const std::string good = projectText(example());
        for (size_t at = 0; at < good.size(); at += 97) {
            QVERIFY(!refusal(good.substr(0, at)).contains('\n'));
            std::string wrong = good;
            wrong[at] = char(wrong[at] ^ 0x15);
            QVERIFY(!refusal(wrong).contains('\n')); // may still be one
        }
    }
    void framesAreKnownByTheirContent()
    {
        const Project project = example();
        const auto frameOf = [](const std::string &id) {
            auto frame = std::make_shared<Frame>();
            frame->id = id;
            return FramePtr(frame);
        };
        const FramePtr a = frameOf(project.frames[0].id), b = frameOf(project.frames[1].id), c = frameOf("c");
        QVERIFY(isOf(project, std::vector{b, a}));
        QVERIFY(!isOf(project, std::vector{a}) && !isOf(project, std::vector{a, b, c}) &&
                !isOf(project, std::vector{a, c}));
    }
};

QTEST_GUILESS_MAIN(TestProject)
#include "tst_project.moc"
