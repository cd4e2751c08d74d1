// Work that is kept: in the real window, closed and opened again, moved, damaged.
#include "opened_window.h"

#include "project/project.h"

#include <QDir>
#include <QProcess>
#include <QPushButton>
#include <QRandomGenerator>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>

#include <cmath>
#include <cstdio>

using namespace yolk;
using namespace yolk::app;

namespace {

QByteArray bytesOf(const QString &path)
{
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

} // namespace

class TestKeeping : public QObject {
    Q_OBJECT
    std::unique_ptr<QTemporaryDir> dir_;

    QString folder() const { return dir_->filePath(QStringLiteral("set")); }
    QStringList frames() const
    {
        QStringList out;
        for (const QString &name : QDir(folder()).entryList({QStringLiteral("*.jpg")}, QDir::Files, QDir::Name))
            out << QDir(folder()).filePath(name);
        return out;
    }
    QStringList projects() const { return QDir(folder()).entryList({QStringLiteral("*.yolk")}, QDir::Files); }
    static QPushButton *offered(MainWindow &window)
    {
        for (QPushButton *button : window.findChildren<QPushButton *>())
            if (button->accessibleName().startsWith(QStringLiteral("Go on with")))
                return button;
        return nullptr;
    }
    static void settle(Document &document)
    {
        const auto busy = [&] {
            return std::ranges::any_of(document.lanes(), [](Lane *lane) { return lane->busy(); });
        };
        QTRY_VERIFY_WITH_TIMEOUT(document.isOpen() && document.fullMergeReady() && !busy(), 60000);
    }
    void open(Document &document) const
    {
        document.setKeepsWork(true);
        document.open(frames());
        settle(document);
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_DATA_HOME", QDir::tempPath().toLocal8Bit() + "/yolk-test-data"); // nobody's own work
        QStandardPaths::setTestModeEnabled(true);
    }
    void init()
    {
        dir_ = std::make_unique<QTemporaryDir>();
        QVERIFY(QDir().mkpath(folder()));
        const QStringList all = test::demoPaths("henhouse-tripod");
        for (const qsizetype i : {1, 3, 5}) // three are enough
            QVERIFY(QFile::copy(all[i], folder() + QLatin1Char('/') + QFileInfo(all[i]).fileName()));
    }

    void lookingAloneLeavesNothingBehind()
    {
        {
            Document document;
            open(document);
        }
        QVERIFY(projects().isEmpty());
        Document quiet; // as all windows of the other tests
        quiet.open(frames());
        settle(quiet);
        quiet.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        quiet.keepNow();
        QVERIFY(quiet.keptPath().isEmpty() && projects().isEmpty());
    }
    void aChangeStandsOnTheDiskWithinTwoSeconds()
    {
        Document document;
        open(document);
        document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        QElapsedTimer since;
        since.start();
        QTRY_VERIFY_WITH_TIMEOUT(projects().size() == 1, 10000);
        QVERIFY2(since.elapsed() < 2000, qPrintable(QString::number(since.elapsed())));
        const Project kept = parseProject(bytesOf(document.keptPath()).toStdString());
        QCOMPARE(kept.history.current().tone.exposure, 1.5);
    }
    void workIsThereAgain()
    {
        Recipe was;
        {
            Document document;
            open(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
            document.keepVersion(QStringLiteral("brighter"));
            document.setTone(&ToneSettings::contrast, 20.0, QStringLiteral("contrast"));
            was = document.recipe();
        } // closed at once: nothing waited for
        QCOMPARE(projects().size(), 1);
        Document again;
        again.setKeepsWork(true);
        QStringList turned = frames();
        std::ranges::reverse(turned); // in whatever order they are given
        again.open(turned);
        settle(again);
        QVERIFY(again.recipe() == was);
        QCOMPARE(again.undoName(), QStringLiteral("contrast"));
        again.undo();
        again.undo();
        QVERIFY(!again.canUndo());
        QCOMPARE(again.versions().size(), 1);
        QCOMPARE(again.versions()[0].name, QStringLiteral("brighter"));
        QCOMPARE(again.versions()[0].recipe.tone.exposure, 1.5);
        QVERIFY(again.problems().isEmpty());
    }
    void movedWithItsFramesItGivesTheSameBits()
    {
        const QString first = dir_->filePath(QStringLiteral("a.tif")), second = dir_->filePath(QStringLiteral("b.tif"));
        const auto exported = [](Document &document, const QString &path) {
            QSignalSpy kept(&document, &Document::kept);
            document.exportPicture(path);
            QVERIFY(kept.wait(60000));
        };
        {
            Document document;
            open(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
            settle(document);
            exported(document, first);
        }
        const QString moved = dir_->filePath(QStringLiteral("elsewhere"));
        QVERIFY(QDir().rename(folder(), moved));
        QVERIFY(QDir().rename(moved, folder() + QStringLiteral("-2")));
        Document again;
        again.setKeepsWork(true);
        QStringList there;
        for (const QFileInfo &info : QDir(folder() + QStringLiteral("-2")).entryInfoList({QStringLiteral("*.jpg")}))
            there << info.absoluteFilePath();
        again.open(there);
        settle(again);
        QCOMPARE(again.recipe().tone.exposure, 1.5);
        exported(again, second);
        QVERIFY(!bytesOf(first).isEmpty());
        QCOMPARE(bytesOf(first), bytesOf(second));
    }
    void aDamagedFileIsSaidAndStays()
    {
        QString path;
        {
            Document document;
            open(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
            path = document.keptPath();
        }
        const QByteArray half = bytesOf(path).first(bytesOf(path).size() / 2);
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(half);
        file.close();
        Document again;
        open(again);
        QCOMPARE(again.problems().size(), 1);
        QVERIFY(again.problems()[0].contains(QFileInfo(path).fileName()));
        again.setTone(&ToneSettings::contrast, 20.0, QStringLiteral("contrast"));
        again.keepNow();
        QCOMPARE(projects().size(), 2);
        QVERIFY(again.keptPath() != path);
        QCOMPARE(bytesOf(path), half);
    }
    void otherFramesOfTheFolderAreAnotherSet()
    {
        {
            Document document;
            open(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        }
        Document two;
        two.setKeepsWork(true);
        two.open(frames().first(2));
        settle(two);
        QVERIFY(two.recipe().tone.exposure != 1.5);
        two.setTone(&ToneSettings::exposure, -1.5, QStringLiteral("exposure"));
        two.keepNow();
        QCOMPARE(projects().size(), 2);
        Document all;
        open(all);
        QCOMPARE(all.recipe().tone.exposure, 1.5);
    }
    void twoWindowsDoNotOverwriteEachOther()
    {
        Document one, two;
        open(one);
        one.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        one.keepNow();
        open(two);
        QCOMPARE(two.recipe().tone.exposure, 1.5);
        QSignalSpy said(&two, &Document::failed);
        two.setTone(&ToneSettings::exposure, -1.5, QStringLiteral("exposure"));
        two.keepNow();
        QCOMPARE(said.size(), 1);
        QVERIFY(said[0][0].toString().contains(QStringLiteral("another window")));
        QVERIFY(two.keptPath() != one.keptPath());
        QCOMPARE(parseProject(bytesOf(one.keptPath()).toStdString()).history.current().tone.exposure, 1.5);
        QCOMPARE(parseProject(bytesOf(two.keptPath()).toStdString()).history.current().tone.exposure, -1.5);
    }
    void aFolderThatIsGoneIsSaidAndTheWorkStays()
    {
        Document document;
        open(document);
        QSignalSpy failed(&document, &Document::failed);
        QVERIFY(QDir(folder()).removeRecursively());
        QFile inTheWay(folder()); // nor can one be made there
        QVERIFY(inTheWay.open(QIODevice::WriteOnly));
        document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        document.keepNow();
        QVERIFY(!failed.isEmpty());
        QVERIFY(failed.last().first().toString().contains(QStringLiteral("could not be kept")));
        QCOMPARE(document.recipe().tone.exposure, 1.5);
    }
    void theEmptyWindowOffersIt()
    {
        const QTemporaryDir settings;
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
        Theme::instance().install();
        {
            MainWindow window;
            window.resize(1280, 800);
            window.show();
            QVERIFY(!offered(window)); // nothing was worked on yet
            open(*window.document());
            window.document()->setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        }
        MainWindow window;
        window.resize(1280, 800);
        window.show();
        window.document()->setKeepsWork(true);
        QSignalSpy found(window.document(), &Document::workFound);
        QPushButton *button = offered(window);
        QVERIFY(button && button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
        settle(*window.document());
        QCOMPARE(window.document()->recipe().tone.exposure, 1.5);
        QCOMPARE(found.size(), 1);
        QVERIFY(QDir(folder()).removeRecursively());
        MainWindow last;
        last.show();
        QVERIFY(!offered(last)); // its frames are gone
    }
    void killedAtAnyMomentItLosesNoMoreThanTwoSeconds()
    {
        QRandomGenerator random(20261129);
        constexpr int kKills = 6;
        for (int kill = 0; kill < kKills; ++kill) {
            QProcess editor;
            editor.start(QCoreApplication::applicationFilePath(), {QStringLiteral("edit"), folder()});
            QList<std::pair<qint64, int>> seen; // milliseconds, number of the change
            QElapsedTimer since;
            const auto readFor = [&](qint64 milliseconds) {
                const qint64 until = since.isValid() ? since.elapsed() + milliseconds : 0;
                while (!since.isValid() || since.elapsed() < until) {
                    if (!editor.waitForReadyRead(60000))
                        return;
                    while (editor.canReadLine()) {
                        const int number = editor.readLine().trimmed().toInt();
                        if (!since.isValid())
                            since.start();
                        seen << std::pair(since.elapsed(), number);
                    }
                    if (milliseconds == 0)
                        return;
                }
            };
            readFor(0);
            QVERIFY(since.isValid());
            readFor(2500 + qint64(random.bounded(1500)));
            const qint64 killed = since.elapsed();
            editor.kill();
            QVERIFY(editor.waitForFinished(10000));
            QCOMPARE(projects().size(), 1);
            const QByteArray text = bytesOf(QDir(folder()).filePath(projects()[0]));
            const Project kept = parseProject(text.toStdString()); // whole, or it would throw
            const double number = std::round(kept.history.current().tone.exposure * 1000.0);
            int expected = 0;
            for (const auto &[when, change] : seen)
                if (when < killed - 2000)
                    expected = change;
            QVERIFY2(expected > 0 && number >= expected,
                     qPrintable(QStringLiteral("%1 of %2").arg(number).arg(expected)));
            QVERIFY(QFile::remove(QDir(folder()).filePath(projects()[0])));
        }
    }
    void demoFramesAreKeptElsewhere()
    {
        const QStringList demo = test::demoPaths("henhouse-tripod");
        QString path;
        {
            Document document;
            document.setKeepsWork(true);
            document.open(demo);
            settle(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
            path = document.keptPath();
        }
        QVERIFY(QFileInfo(path).absolutePath() != QFileInfo(demo[0]).absolutePath());
        QVERIFY(QDir(QFileInfo(demo[0]).absolutePath()).entryList({QStringLiteral("*.yolk")}).isEmpty());
        QVERIFY(QFile::exists(path));
        Document again;
        again.setKeepsWork(true);
        again.open(demo);
        settle(again);
        QCOMPARE(again.recipe().tone.exposure, 1.5);
        QVERIFY(QFile::remove(path));
    }
};

namespace {

/// Somebody who changes the exposure all the time and says so: another process, to be killed.
int edit(const QString &folder)
{
    Document document;
    document.setKeepsWork(true);
    QStringList frames;
    for (const QFileInfo &info : QDir(folder).entryInfoList({QStringLiteral("*.jpg")}))
        frames << info.absoluteFilePath();
    document.open(frames);
    QTimer timer;
    int number = 0;
    QObject::connect(&timer, &QTimer::timeout, &timer, [&] {
        if (!document.isOpen())
            return;
        document.setTone(&ToneSettings::exposure, ++number / 1000.0, QStringLiteral("exposure"));
        std::printf("%d\n", number);
        std::fflush(stdout);
    });
    timer.start(20);
    return QCoreApplication::exec();
}

} // namespace

int main(int argc, char **argv)
{
    QApplication application(argc, argv);
    if (argc == 3 && QByteArray(argv[1]) == "edit")
        return edit(QString::fromLocal8Bit(argv[2]));
    TestKeeping test;
    return QTest::qExec(&test, argc, argv);
}
#include "tst_keeping.moc"
