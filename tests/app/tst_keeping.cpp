// Work that is kept: in the real window, closed and opened again, moved, damaged.
#include "kept_folder.h"
#include "opened_window.h"

#include "project/project.h"

#include <QDir>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

using namespace yolk;
using namespace yolk::app;
using test::bytesOf;
using test::settle;

class TestKeeping : public QObject {
    Q_OBJECT
    std::unique_ptr<test::KeptFolder> set_;

    QString folder() const { return set_->path(); }
    QStringList frames() const { return set_->frames(); }
    QStringList projects() const { return set_->projects(); }
    void open(Document &document) const { set_->open(document); }
    static QPushButton *offered(MainWindow &window)
    {
        for (QPushButton *button : window.findChildren<QPushButton *>())
            if (button->accessibleName().startsWith(QStringLiteral("Go on with")))
                return button;
        return nullptr;
    }

private Q_SLOTS:
    void initTestCase() { test::keepAwayFromOwnWork(); }
    void init() { set_ = std::make_unique<test::KeptFolder>(); }

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
        const QString first = set_->beside(QStringLiteral("a.tif")), second = set_->beside(QStringLiteral("b.tif"));
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
        const QString moved = set_->beside(QStringLiteral("elsewhere"));
        QVERIFY(QDir().rename(folder(), moved));
        QVERIFY(QDir().rename(moved, folder() + QStringLiteral("-2")));
        Document again;
        again.setKeepsWork(true);
        again.open(test::KeptFolder::framesIn(folder() + QStringLiteral("-2")));
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

QTEST_MAIN(TestKeeping)
#include "tst_keeping.moc"
