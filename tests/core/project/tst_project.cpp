// Projects as text: everything comes back, and what is no project is refused in one line.
#include "base/errors.h"
#include "project/project.h"
#include "render/render.h"
#include "render/set/measured_json.h"

#include <QFile>
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
    out.frames[0].bytes = 12345678901;
    out.missing = {{"c.dng", "0123456789abcdef0123456789abcdef", 17}};
    out.rating = 4;
    out.chosen = true;
    out.radiance = "a-radiance.exr";
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
        QVERIFY(is.folder.empty() && is.unknown.empty() && is.unknownSettings.empty());
        QVERIFY(is.missing == was.missing && is.rating == 4 && is.chosen && is.radiance == was.radiance);
        QCOMPARE(is.version, kProjectVersion);
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
        text.insert(1, "\"mood\":{\"eggs\":4},");
        // In the present settings, in those of a version, and of a process that measures otherwise.
        const auto replaceLast = [&](const std::string &from, const std::string &to) {
            text.replace(text.rfind(from), from.size(), to);
        };
        replaceLast("\"version\":2,\"versions\":[", "\"version\":12,\"versions\":[");
        replaceLast("\"lamp\":{", "\"lamp\":{\"flicker\":3,");
        const size_t history = text.rfind("\"lamp\":{", text.find("\"measured\":"));
        text.insert(history, "\"fog\":{\"depth\":1},");
        const Project is = parseProject(text);
        QCOMPARE(is.version, 12);
        QCOMPARE(is.unknown, std::string("{\"mood\":{\"eggs\":4}}"));
        QCOMPARE(is.unknownSettings, std::string("{\"fog\":{\"depth\":1}}"));
        QCOMPARE(is.versions[1].unknown, std::string("{\"lamp\":{\"flicker\":3}}"));
        const std::string again = projectText(is);
        for (const char *kept : {"\"mood\":{\"eggs\":4}", "\"flicker\":3", "\"fog\":{\"depth\":1}", "\"version\":12"})
            QVERIFY2(again.find(kept) != std::string::npos, kept);
        std::string newer = projectText(example());
        const std::string process = "\"process_version\":" + std::to_string(kProcessVersion);
        newer.replace(newer.find(process), process.size(), "\"process_version\":9999");
        QVERIFY(!parseProject(newer).measured); // to be found by this one
    }
    void everyVersionSinceTheFirstLoads()
    {
        for (int version = 1; version <= kProjectVersion; ++version) {
            const QString path = QStringLiteral(YOLK_SOURCE_DIR "/tests/data/project-v%1.yolk").arg(version);
            QFile file(path);
            QVERIFY2(file.open(QIODevice::ReadOnly), qPrintable(path));
            const Project is = parseProject(file.readAll().toStdString());
            QCOMPARE(is.version, version);
            QCOMPARE(is.frames.size(), size_t(3));
            QCOMPARE(is.history.statesSoFar().size(), size_t(3));
            QCOMPARE(is.history.current().tone.exposure, 1.5);
            QCOMPARE(is.versions.size(), size_t(1));
            QCOMPARE(is.versions[0].name, std::string("brighter"));
            QVERIFY(is.measured && is.measured->frames.size() == 3);
            QCOMPARE(is.rating, version < 2 ? 0 : 3);
        }
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
        QVERIFY(refusal(with("a.dng", "../a.dng")).contains("frames.name"));
        QVERIFY(refusal(with("a.dng", "/etc/a.dng")).contains("frames.name"));
        QVERIFY(refusal(with("a-radiance.exr", "../x.exr")).contains("radiance"));
        QVERIFY(refusal(with("\"rating\":4", "\"rating\":6")).contains("rating"));
        QVERIFY(refusal(with("\"chosen\":true", "\"chosen\":1")).contains("chosen"));
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
        const FramePtr missing = frameOf(project.missing[0].id);
        QVERIFY(isOf(project, std::vector{missing, b, a})); // it came back
        QVERIFY(!isOf(project, std::vector{a}) && !isOf(project, std::vector{a, b, c}) &&
                !isOf(project, std::vector{a, c}));
    }
};

QTEST_GUILESS_MAIN(TestProject)
#include "tst_project.moc"
