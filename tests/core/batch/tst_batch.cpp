// Runs over many sets: each job once, whatever happens to the others or to the process.
#include "base/errors.h"
#include "batch/batch_run.h"
#include "project/work_files.h"
#include "recipe/preset.h"
#include "render/files/output.h"
#include "render/render.h"
#include "render/set/stage_cache.h"
#include "support/synthetic.h"

#include <QDir>
#include <QElapsedTimer>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QRandomGenerator>
#include <QTemporaryDir>
#include <QTest>

#include <csignal>
#include <map>

using namespace yolk;

namespace {

constexpr int kSets = 8, kFrames = 3;

/// How often each job was done, by the lines that processes printed.
void countJobs(const QByteArray &lines, std::map<int, int> &counts)
{
    for (const QByteArray &line : lines.split('\n')) {
        const QJsonObject object = QJsonDocument::fromJson(line).object();
        if (object.contains("job"))
            ++counts[object["job"].toInt()];
    }
}

} // namespace

class TestBatch : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QString card_;
    std::unique_ptr<QTemporaryDir> out_;

    QString out(const char *name = "") const { return out_->filePath(QLatin1String(name)); }
    QStringList batch(const QStringList &more) const
    {
        return QStringList{"batch", card_, "--out", out_->path(), "--group", "3", "--suffix", "jpg", "--json"} + more;
    }
    static std::pair<int, QByteArray> run(const QStringList &arguments)
    {
        QProcess process;
        process.start(QStringLiteral(YOLK_CLI), arguments);
        process.waitForFinished(120000);
        return {process.exitCode(), process.readAllStandardOutput()};
    }
    BatchPlan plan() const
    {
        BatchPlan out{out_->path().toStdString(), kFrames, {}, {}, {}};
        ExportPreset jpeg;
        jpeg.settings.format = PictureFormat::Jpeg;
        out.exports = {jpeg};
        return out;
    }
    BatchList list(const BatchPlan &plan) const
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        return jobsOf({card_.toStdString()}, plan, ctx);
    }

private Q_SLOTS:
    void initTestCase()
    {
        card_ = dir_.filePath("card");
        QDir().mkpath(card_);
        for (int set = 0; set < kSets; ++set) {
            const QTemporaryDir folder;
            const QStringList frames = test::writeBracket(
                folder.path(), test::rampScene(160 + 8 * set, 120, 0.004, 10).view(), {-3, -1, 1}, 1.0);
            for (int i = 0; i < kFrames; ++i)
                QVERIFY(QFile::copy(frames[i], QStringLiteral("%1/set%2_%3.jpg").arg(card_).arg(set).arg(i)));
        }
        // One frame of the third set is damaged, all of the fifth are.
        const auto cut = [&](const QString &name) {
            const QString path = card_ + '/' + name;
            test::writeBytes(path, test::bytesOf(path).first(2500));
        };
        cut("set2_1.jpg");
        for (int i = 0; i < kFrames; ++i)
            cut(QStringLiteral("set4_%1.jpg").arg(i));
        test::writeBytes(card_ + "/notes.txt", "no frame");
        test::writeBytes(card_ + "/set9.jpg", "no picture either");
    }
    void init() { out_ = std::make_unique<QTemporaryDir>(); }

    void jobsSayAllThatTheyNeed()
    {
        BatchPlan wanted = plan();
        wanted.settings = {"tone.range=40"};
        const BatchList found = list(wanted);
        QCOMPARE(int(found.jobs.size()), kSets);
        QCOMPARE(int(found.problems.size()), 1); // which is no picture
        for (const BatchJob &job : found.jobs) {
            QCOMPARE(int(job.frames.size()), kFrames);
            const std::string line = lineOf(job);
            QVERIFY(line.find('\n') == std::string::npos);
            QCOMPARE(parseJob(line), job);
        }
        const std::string before = keyOf(found.jobs[0]);
        QCOMPARE(keyOf(found.jobs[0]), before);
        QVERIFY(keyOf(found.jobs[1]) != before);
        BatchJob other = found.jobs[0];
        other.number = 77; // where it stands does not matter
        QCOMPARE(keyOf(other), before);
        other.settings = {"tone.range=41"};
        QVERIFY(keyOf(other) != before);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseJob("{}"));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseJob("no JSON"));
        wanted.presets = {"No such preset"};
        QVERIFY_THROWS_EXCEPTION(ArgumentError, list(wanted));
    }

    void oneBadSetNeverStopsTheRest()
    {
        const auto [code, lines] = run(batch({}));
        QCOMPARE(code, 1); // the fifth
        std::map<int, int> counts;
        countJobs(lines, counts);
        QCOMPARE(int(counts.size()), kSets);
        QCOMPARE(QDir(out_->path()).entryList({"*.jpg"}, QDir::Files).size(), kSets - 1);
        const QJsonObject report = QJsonDocument::fromJson(test::bytesOf(out("report.json"))).object();
        QCOMPARE(report["jobs"].toArray().size(), kSets);
        QVERIFY(report["jobs"][4]["error"].toString().size() > 5);
        QVERIFY(report["jobs"][2]["notices"].toArray().size() > 0); // a frame was left out
        QVERIFY(report["jobs"][2]["error"].isUndefined());
        const QByteArray page = test::bytesOf(out("report.html"));
        QVERIFY(page.contains("8 sets, 7 done, 1 not") && page.contains("<img") && page.contains("set0_0-picture.jpg"));
        // Small pictures are there.
        QVERIFY(QFile::exists(report["jobs"][0]["thumbnail"].toString()));
    }

    void theSamePixelsAsOneAtATime()
    {
        QCOMPARE(run(batch({"--jobs", "2"})).first, 1);
        ThreadRunner runner;
        ExecContext ctx(runner);
        for (const int set : {0, 2, 7}) {
            Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 28)};
            for (int i = 0; i < kFrames; ++i)
                if (set != 2 || i != 1)
                    sources.frames.push_back(
                        loadFrame(QStringLiteral("%1/set%2_%3.jpg").arg(card_).arg(set).arg(i).toStdString()));
            const Measured measured = analyse(sources, {}, ctx);
            exportPicture(sources, automaticStart(measured), measured, {out("alone.jpg").toStdString()}, ctx);
            QCOMPARE(test::bytesOf(out(QStringLiteral("set%1_0-picture.jpg").arg(set).toLatin1().constData())),
                     test::bytesOf(out("alone.jpg")));
        }
    }

    void workBesideTheFramesIsTaken()
    {
        BatchPlan wanted = plan();
        wanted.takesWork = true;
        QCOMPARE(list(wanted).jobs[0].project, std::string()); // there is none yet
        const std::string keyBefore = keyOf(list(wanted).jobs[0]);
        // Beside the first set lie work on others, no project at all, and its own, which is the third by number.
        Project work;
        for (int i = 0; i < kFrames; ++i) {
            const QString path = QStringLiteral("%1/set0_%2.jpg").arg(card_).arg(i);
            const FramePtr frame = loadFrame(path.toStdString());
            work.frames.push_back({frame->name, frame->id, uint64_t(QFileInfo(path).size())});
        }
        Recipe recipe;
        recipe.tone.exposure = -1.5;
        recipe.frames.excluded = {work.frames[2].id};
        work.history = History(recipe);
        Project other = work;
        other.frames[1].bytes += 1;
        const std::string base = card_.toStdString() + "/set0_0";
        test::writeBytes(workFile(base, 1).c_str(), QByteArray::fromStdString(projectText(other)));
        test::writeBytes(workFile(base, 2).c_str(), "no project");
        test::writeBytes(workFile(base, 3).c_str(), QByteArray::fromStdString(projectText(work)));
        const BatchJob job = list(wanted).jobs[0];
        QCOMPARE(job.project, workFile(base, 3));
        QVERIFY(keyOf(job) != keyBefore);
        QCOMPARE(list(plan()).jobs[0].project, std::string()); // nobody asked
        QCOMPARE(run(batch({"--work", "--job", "1"})).first, 0);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const auto alone = [&](const Recipe &settings) {
            Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 28)};
            for (const std::string &path : job.frames)
                sources.frames.push_back(loadFrame(path));
            exportPicture(sources, settings, analyse(sources, {}, ctx), {out("alone.jpg").toStdString()}, ctx);
            return test::bytesOf(out("alone.jpg"));
        };
        QVERIFY(!test::bytesOf(out("set0_0-picture.jpg")).isEmpty());
        QCOMPARE(test::bytesOf(out("set0_0-picture.jpg")), alone(recipe));
        for (int number = 1; number <= 3; ++number)
            QVERIFY(QFile::remove(workFile(base, number).c_str()));
    }

    void whatIsDoneStaysDone()
    {
        run(batch({}));
        std::map<int, int> counts;
        countJobs(run(batch({"--resume"})).second, counts);
        QCOMPARE(int(counts.size()), 1); // only the one that failed is tried again
        QVERIFY(counts.contains(5));
        QFile::remove(out("set1_0-picture.jpg")); // a file that was taken away is made again
        counts.clear();
        countJobs(run(batch({"--resume"})).second, counts);
        QVERIFY(counts.contains(2) && counts.size() == 2);
        counts.clear();
        countJobs(run(batch({})).second, counts); // anew
        QCOMPARE(int(counts.size()), kSets);
        // With other settings they are other jobs.
        counts.clear();
        countJobs(run(batch({"--resume", "--set", "tone.range=30"})).second, counts);
        QCOMPARE(int(counts.size()), kSets);
    }

    void killedAndResumed()
    {
        QRandomGenerator random(5);
        std::map<int, int> counts;
        for (int kill = 0; kill < 4; ++kill) {
            QProcess process;
            process.start(QStringLiteral(YOLK_CLI), batch({"--resume"}));
            QVERIFY(process.waitForStarted());
            QTest::qWait(150 + int(random.bounded(500)));
            process.kill();
            process.waitForFinished();
            countJobs(process.readAllStandardOutput(), counts);
        }
        countJobs(run(batch({"--resume"})).second, counts);
        for (int job = 1; job <= kSets; ++job)
            if (job != 5)
                QVERIFY2(counts[job] <= 1, qPrintable(QString("%1 was done %2 times").arg(job).arg(counts[job])));
        QCOMPARE(QDir(out_->path()).entryList({"*.jpg"}, QDir::Files | QDir::Hidden).size(), kSets - 1);
    }

    void twoProcessesShareARun()
    {
        QProcess first, second;
        first.start(QStringLiteral(YOLK_CLI), batch({"--resume"}));
        second.start(QStringLiteral(YOLK_CLI), batch({"--resume"}));
        QVERIFY(first.waitForStarted() && second.waitForStarted());
        // In the middle: as soon as a set is done.
        const QDir marks(out(".yolk-batch"));
        QTRY_VERIFY_WITH_TIMEOUT(!marks.entryList({"*.done"}, QDir::Files).isEmpty(), 120000);
        first.kill();
        QTRY_COMPARE_WITH_TIMEOUT(first.state(), QProcess::NotRunning, 120000);
        QTRY_COMPARE_WITH_TIMEOUT(second.state(), QProcess::NotRunning, 120000); // it may have ended already
        std::map<int, int> counts;
        countJobs(first.readAllStandardOutput(), counts);
        countJobs(second.readAllStandardOutput(), counts);
        // What the killed one had under way may be left; a third one finds it.
        countJobs(run(batch({"--resume"})).second, counts);
        for (int job = 1; job <= kSets; ++job)
            if (job != 5)
                QVERIFY2(counts[job] <= 1, qPrintable(QString("%1 was done %2 times").arg(job).arg(counts[job])));
        QCOMPARE(QDir(out_->path()).entryList({"*.jpg"}, QDir::Files).size(), kSets - 1);
    }

    void linesRunByThemselves()
    {
        const auto [code, lines] = run(batch({"--list"}));
        QCOMPARE(code, 0);
        const QList<QByteArray> jobs = lines.trimmed().split('\n');
        QCOMPARE(jobs.size(), kSets);
        QCOMPARE(run({"batch", "--line", QString::fromUtf8(jobs[1])}).first, 0);
        QVERIFY(QFile::exists(out("set1_0-picture.jpg")));
        QCOMPARE(run(batch({"--job", "4"})).first, 0);
        QVERIFY(QFile::exists(out("set3_0-picture.jpg")));
        QCOMPARE(run(batch({"--job", "99"})).first, 2);
        QCOMPARE(run(batch({"--job", "5"})).first, 1); // which cannot be done
        // By GNU parallel, as the guide has it.
        QProcess parallel;
        parallel.setStandardInputFile(QProcess::nullDevice());
        const QString command = QStringLiteral("'%1' %2 --list | parallel -j 2 '%1' batch --line {}")
                                    .arg(QStringLiteral(YOLK_CLI), batch({}).join(' '));
        parallel.start("sh", {"-c", command});
        QVERIFY(parallel.waitForFinished(120000));
        QVERIFY2(parallel.exitCode() == 1, parallel.readAllStandardError().constData()); // one job failed
        QCOMPARE(QDir(out_->path()).entryList({"*.jpg"}, QDir::Files).size(), kSets - 1);
    }

    void aFolderThatFillsUp()
    {
        // A small stand-in for a tethered camera: it copies frames into the folder one after the other.
        const QTemporaryDir tethered;
        QProcess process;
        process.start(QStringLiteral(YOLK_CLI), {"batch", tethered.path(), "--out", out_->path(), "--group", "3",
                                                 "--suffix", "jpg", "--json", "--watch", "--settled", "1"});
        QVERIFY(process.waitForStarted());
        QByteArray said;
        for (int set = 0; set < 2; ++set) {
            for (int i = 0; i < kFrames; ++i) {
                const QString name = QStringLiteral("set%1_%2.jpg").arg(set).arg(i);
                test::writeBytes(tethered.filePath(name), test::bytesOf(card_ + '/' + name));
                QTest::qWait(100);
            }
            QTRY_VERIFY_WITH_TIMEOUT((said += process.readAllStandardOutput()).count('\n') == set + 1, 30000);
            QVERIFY(QFile::exists(out(QStringLiteral("set%1_0-picture.jpg").arg(set).toLatin1().constData())));
        }
        kill(pid_t(process.processId()), SIGINT);
        QVERIFY(process.waitForFinished(20000));
        std::map<int, int> counts;
        countJobs(said + process.readAllStandardOutput(), counts);
        QCOMPARE(int(counts.size()), 2);
        QVERIFY(counts[1] == 1 && counts[2] == 1);
    }

    void severalPresetsAndWays()
    {
        BatchPlan wanted = plan();
        wanted.presets = {"Poached", presetNamed("Poached").name};
        wanted.presets[1] = builtInPresets().back().name;
        ExportPreset small;
        small.name = "small";
        small.folder = out("small").toStdString();
        small.settings.format = PictureFormat::Png;
        small.settings.depth = FileDepth::Eight;
        small.settings.sizeBy = SizeBy::LongEdge;
        small.settings.pixels = 80;
        small.settings.name = "{number} {name}";
        wanted.exports.push_back(small);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const JobResult result = runJob(list(wanted).jobs[0], {}, ctx);
        QCOMPARE(result.error, std::string());
        QCOMPARE(int(result.files.size()), 4);
        for (const std::string &file : result.files)
            QVERIFY2(QFile::exists(QString::fromStdString(file)), file.c_str());
        QVERIFY(QFile::exists(out("small/001 set0_0-poached.png")));
    }
};

QTEST_GUILESS_MAIN(TestBatch)
#include "tst_batch.moc"
