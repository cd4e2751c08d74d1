#include "base/errors.h"
#include "frames/bracket.h"
#include "support/synthetic.h"

#include <opencv2/imgcodecs.hpp>
#include <QDir>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

struct Set {
    std::vector<FramePtr> frames;
    std::vector<MeasuredFrame> measured;
};

Set load(const QStringList &paths)
{
    Set out;
    for (const QString &p : paths)
        out.frames.push_back(loadFrame(p.toStdString()));
    SerialRunner serial;
    ExecContext ctx(serial);
    out.measured = measureFrames(out.frames, {.decode = test::decodeAtOnce, .sensor = test::lookAtOnce}, ctx).frames;
    return out;
}

bool mentions(const std::vector<std::string> &notices, const char *words)
{
    return std::ranges::any_of(notices, [&](const std::string &n) { return n.find(words) != std::string::npos; });
}

/// The same picture without any metadata.
void stripMetadata(const QString &path)
{
    const cv::Mat pixels = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED | cv::IMREAD_IGNORE_ORIENTATION);
    cv::imwrite(path.toStdString(), pixels, {cv::IMWRITE_JPEG_QUALITY, 98});
}

} // namespace

class TestBracket : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QString folder(const char *name) const
    {
        const QString path = dir_.filePath(QString::fromLatin1(name));
        QDir().mkpath(path);
        return path;
    }

private Q_SLOTS:
    void sortsFromDarkToBright()
    {
        // A camera's series comes off the card as 0, -2, -1, +1, +2 (common practice, no published source).
        const Set set = load(
            test::writeBracket(folder("sort"), test::rampScene(120, 80, 0.001, 10).view(), {0, -2, -1, 1, 2}, 1.0));
        const Bracket bracket = arrangeBracket(set.frames, set.measured, {});
        const std::vector<int> given{2, 3, 1, 4, 5};
        for (size_t i = 0; i < 5; ++i) {
            QCOMPARE(bracket.frames[i].given, given[i]);
            QCOMPARE(bracket.frames[i].number, int(i) + 1);
            QVERIFY(std::abs(bracket.frames[i].ev - (double(i) - 2.0)) < 1e-9);
        }
        QCOMPARE(bracket.reference, size_t(2));
        QVERIFY(bracket.notices.empty());
    }
    void referenceIsTheMedianTheLowerOfTwo()
    {
        const Set set =
            load(test::writeBracket(folder("four"), test::rampScene(60, 40, 0.001, 10).view(), {-3, -1, 1, 3}, 1.0));
        QCOMPARE(arrangeBracket(set.frames, set.measured, {}).reference, size_t(1));
        FrameChoice choice;
        choice.excluded = {set.frames[0]->id};
        QCOMPARE(arrangeBracket(set.frames, set.measured, choice).reference, size_t(2));
        choice = {};
        choice.reference = set.frames[3]->id;
        const Bracket chosen = arrangeBracket(set.frames, set.measured, choice);
        QCOMPARE(chosen.reference, size_t(3));
        QVERIFY(std::abs(chosen.frames[3].ev) < 1e-9);
        // With an anchor the scale stays when the reference changes.
        const Bracket anchored = arrangeBracket(set.frames, set.measured, choice, set.measured[1].exposure);
        QVERIFY(std::abs(anchored.frames[3].ev - 4.0) < 1e-9);
    }
    void repeatsAndOtherAperturesAreSaid()
    {
        QStringList paths =
            test::writeBracket(folder("repeat"), test::rampScene(60, 40, 0.001, 10).view(), {-2, -2, 0, 2}, 1.0);
        demo::Shot wide = test::shotAt(1, 1.0, 9);
        wide.fNumber = 5.6;
        paths << dir_.filePath("repeat/wide.jpg");
        demo::writeFrame(paths.back().toStdString(),
                         demo::expose(test::rampScene(60, 40, 0.001, 10).view(), wide).view(), wide,
                         demo::FrameFile::Jpeg);
        const Set set = load(paths);
        const Bracket bracket = arrangeBracket(set.frames, set.measured, {});
        QVERIFY(mentions(bracket.frames[1].notices, "repeats the exposure of frame 1"));
        QVERIFY(mentions(bracket.frames[3].notices, "depth of field differs") ||
                mentions(bracket.frames[4].notices, "depth of field differs"));
    }
    void otherSizesCannotBeUsed()
    {
        QStringList paths =
            test::writeBracket(folder("size"), test::rampScene(60, 40, 0.001, 10).view(), {-2, 0, 2}, 1.0);
        paths.prepend(
            test::writeBracket(folder("size2"), test::rampScene(50, 40, 0.001, 10).view(), {-1}, 1.0).front());
        const Set set = load(paths);
        const Bracket bracket = arrangeBracket(set.frames, set.measured, {});
        QCOMPARE(bracket.used().size(), size_t(3));
        QVERIFY(!bracket.frames[1].usable && mentions(bracket.frames[1].notices, "cannot be used"));
        FrameChoice choice;
        choice.reference = set.frames[0]->id;
        const Bracket fallen = arrangeBracket(set.frames, set.measured, choice);
        QCOMPARE(fallen.reference, bracket.reference);
        QVERIFY(mentions(fallen.notices, "cannot be the reference frame"));
    }
    void withoutMetadataExposuresAreEstimated()
    {
        const Image<float> scene = test::rampScene(300, 200, 0.002, 9);
        const QStringList paths = test::writeBracket(folder("bare"), scene.view(), {2, -2, 0}, 1.0);
        for (const QString &p : paths)
            stripMetadata(p);
        const Set set = load(paths);
        const Bracket bracket = arrangeBracket(set.frames, set.measured, {});
        QVERIFY(mentions(bracket.notices, "exposures are estimated"));
        // 8 bits and a doubled JPEG: 0.1 EV is what such files allow.
        for (size_t i = 0; i < 3; ++i)
            QVERIFY2(std::abs(bracket.frames[i].ev - (double(i) * 2.0 - 2.0)) < 0.1,
                     qPrintable(QString::number(bracket.frames[i].ev)));
    }
    void oneFrameAndEqualFramesWork()
    {
        const QStringList paths =
            test::writeBracket(folder("equal"), test::rampScene(60, 40, 0.001, 10).view(), {0, 0, 0}, 1.0);
        Set set = load(paths);
        QVERIFY(mentions(arrangeBracket(set.frames, set.measured, {}).notices, "same exposure"));
        set = load({paths.front()});
        QVERIFY(mentions(arrangeBracket(set.frames, set.measured, {}).notices, "one frame"));
    }
    void sharesCountClippedAndDark()
    {
        // The left half black, the right half far over clipping.
        Image<float> scene = test::flat(200, 100, 0, 0, 0);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 100; ++y)
                std::fill_n(scene.row(c, y) + 96, 104, 9.0f); // 96: whole blocks of the JPEG
        const Set set = load(test::writeBracket(folder("shares"), scene.view(), {0}, 1.0));
        QVERIFY(std::abs(set.measured[0].clippedShare - 0.52) < 0.01);
        QVERIFY(set.measured[0].darkShare > 0.3); // half of black noise lies below black
    }
    void everythingExcludedMeansNothingExcluded()
    {
        const Set set =
            load(test::writeBracket(folder("none"), test::rampScene(60, 40, 0.001, 10).view(), {-1, 1}, 1.0));
        FrameChoice choice;
        choice.excluded = {set.frames[0]->id, set.frames[1]->id};
        QCOMPARE(arrangeBracket(set.frames, set.measured, choice).used().size(), size_t(2));
        choice = {};
        choice.influence[set.frames[0]->id] = 0.0;
        QCOMPARE(arrangeBracket(set.frames, set.measured, choice).used().size(), size_t(1));
        choice.influence[set.frames[0]->id] = 2.5;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, arrangeBracket(set.frames, set.measured, choice));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, arrangeBracket({}, {}, {}));
    }
};

QTEST_GUILESS_MAIN(TestBracket)
#include "tst_bracket.moc"
