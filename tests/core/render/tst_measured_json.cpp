// Measurements as text: every number comes back, and the identity follows what the merge reads.
#include "render/render.h"
#include "render/set/measured_json.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <thread>

using namespace yolk;

namespace {

std::string refused(const std::string &text)
{
    try {
        parseMeasured(text);
    } catch (const ArgumentError &e) {
        return e.what();
    }
    return {};
}

std::string replaced(std::string text, const std::string &what, const std::string &by)
{
    const size_t at = text.find(what);
    return at == std::string::npos ? std::string() : text.replace(at, what.size(), by);
}

} // namespace

class TestMeasuredJson : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Measured measured_;

private Q_SLOTS:
    void initTestCase()
    {
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 28)};
        for (const QString &path :
             test::writeBracket(dir_.path(), test::rampScene(301, 203, 0.002, 11).view(), {0, -2, 2}, 1.0))
            sources.frames.push_back(loadFrame(path.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        measured_ = analyse(sources, {}, ctx);
        measured_.defects = {{3, 4}, {65535, 0}};
        measured_.defectsOf = "a camera";
        measured_.frames[1].unevenness.bands.assign(size_t(Unevenness::kKnots), 1.0 / 3.0);
        measured_.frames[1].aligned.reset();
        measured_.generation = generationOf(measured_);
    }
    void everyNumberComesBack()
    {
        const Measured back = parseMeasured(measuredText(measured_));
        QVERIFY(back == measured_);
        QVERIFY(back.generation != Hash128());
    }
    void theIdentityIsOfWhatTheMergeReads()
    {
        Measured other = measured_;
        other.tone.peakEv += 1.0;
        other.automaticWhite.tint += 1.0;
        other.light.clear();
        QVERIFY(generationOf(other) == measured_.generation);
        const auto differs = [&](const std::function<void(Measured &)> &change) {
            Measured changed = measured_;
            change(changed);
            return generationOf(changed) != measured_.generation;
        };
        QVERIFY(differs([](Measured &m) { m.frames[0].exposure *= 1.0 + 1e-15; }));
        QVERIFY(differs([](Measured &m) { m.frames[2].noise.gain *= 2.0; }));
        QVERIFY(differs([](Measured &m) { m.frames[1].unevenness.bands[5] = 0.1; }));
        QVERIFY(differs([](Measured &m) { m.response.bend[1][3] += 0.01; }));
        QVERIFY(differs([](Measured &m) { m.alignment[1].toReference.transform.m.m[2] += 0.01; }));
        QVERIFY(differs([](Measured &m) { m.fringes.red.scale = 0.001; }));
        QVERIFY(differs([](Measured &m) { m.defects.pop_back(); }));
        QVERIFY(differs([](Measured &m) { m.anchorExposure *= 2.0; }));
    }
    void badTextsAreRefused()
    {
        const std::string text = measuredText(measured_);
        QCOMPARE(refused("{"), std::string("is not a Yolk measurement"));
        QCOMPARE(refused("[]"), std::string("is not a Yolk measurement"));
        const std::string version = "\"process_version\":" + std::to_string(kProcessVersion);
        QVERIFY(refused(replaced(text, version, "\"process_version\":9999")).starts_with("was written by a newer"));
        QVERIFY(refused(replaced(text, version, "\"process_version\":\"x\"")).starts_with("process_version"));
        QVERIFY(
            refused(replaced(text, "\"anchor_exposure\":", "\"anchor\":")).starts_with("anchor_exposure: is missing"));
        QVERIFY(
            refused(replaced(text, "\"anchor_exposure\":", "\"anchor_exposure\":-")).starts_with("anchor_exposure ="));
        QVERIFY(refused(replaced(text, "\"fitted\":", "\"fitted\":3,\"was\":")).starts_with("response.fitted"));
        Measured fewer = measured_;
        fewer.alignment.pop_back();
        QVERIFY(refused(measuredText(fewer)).starts_with("alignment: must be one for each frame"));
        Measured bands = measured_;
        bands.frames[1].unevenness.bands.pop_back();
        QVERIFY(refused(measuredText(bands)).starts_with("frames.unevenness.bands"));
    }
    void anOlderProcessIsReadAsItWas()
    {
        const std::string version = "\"process_version\":" + std::to_string(kProcessVersion);
        const Measured old = parseMeasured(replaced(measuredText(measured_), version, "\"process_version\":1"));
        QCOMPARE(old.processVersion, 1);
        QVERIFY(old.generation != measured_.generation);
    }
};

QTEST_GUILESS_MAIN(TestMeasuredJson)
#include "tst_measured_json.moc"
