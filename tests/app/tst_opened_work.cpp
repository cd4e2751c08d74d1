// Work that is opened by its file, frames that went elsewhere, windows that ended without being closed.
#include "kept_folder.h"
#include "opened_window.h"

#include "canvas/message_strip.h"
#include "canvas/offer_strip.h"
#include "document/merge_store.h"
#include "keeping/versions_strip.h"
#include "project/project.h"
#include "render/set/measured_json.h"

#include <QMessageBox>
#include <QProcess>
#include <QPushButton>
#include <QSignalSpy>
#include <QTimer>

#include <csignal>
#include <cstdio>
#include <sys/resource.h>

using namespace yolk;
using namespace yolk::app;
using test::bytesOf;
using test::settle;

class TestOpenedWork : public QObject {
    Q_OBJECT
    std::unique_ptr<test::KeptFolder> set_;
    std::unique_ptr<QTemporaryDir> settings_;

    std::unique_ptr<MainWindow> newWindow() const
    {
        auto out = std::make_unique<MainWindow>();
        out->document()->setViewBudget({}); // whole, whatever else the machine has to do
        out->resize(1280, 800);
        out->show();
        out->document()->setKeepsWork(true);
        return out;
    }
    static void exported(Document &document, const QString &path)
    {
        QSignalSpy kept(&document, &Document::kept);
        document.exportPicture(path);
        QVERIFY(kept.wait(60000));
    }
    static Project projectIn(const QString &path) { return parseProject(bytesOf(path).toStdString()); }
    static void write(const QString &path, const QByteArray &text)
    {
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly) && file.write(text) == text.size());
    }

private Q_SLOTS:
    void init()
    {
        set_ = std::make_unique<test::KeptFolder>();
        settings_ = std::make_unique<QTemporaryDir>();
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings_->path());
        Theme::instance().install();
    }
    void cleanupTestCase() { mergeStore()->clear(); }

    void aProjectBringsItsFrames()
    {
        const QString path = set_->leaveWork();
        const auto window = newWindow();
        window->open({path});
        settle(*window->document());
        QCOMPARE(window->document()->recipe().tone.exposure, 1.5);
        QCOMPARE(window->document()->keptPath(), path);
        QCOMPARE(window->document()->sources().frames.size(), size_t(3));
    }
    void theMergeIsThereAtOnce() // and the same bits
    {
        mergeStore()->clear();
        const QString first = set_->beside(QStringLiteral("a.tif")), second = set_->beside(QStringLiteral("b.tif"));
        QString path;
        {
            Document document;
            set_->open(document);
            document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
            exported(document, first);
            QTRY_VERIFY_WITH_TIMEOUT(mergeStore()->bytes() > size_t(1800) * 1200 * 12, 20000);
            path = document.keptPath();
        }
        Document again;
        again.setKeepsWork(true);
        QSignalSpy merged(&again, &Document::mergedChanged);
        again.openWork({path});
        QTRY_VERIFY_WITH_TIMEOUT(!merged.isEmpty(), 60000);
        QVERIFY(again.fullMergeReady()); // the first one that is shown
        settle(again);
        exported(again, second);
        QVERIFY(!bytesOf(first).isEmpty());
        QCOMPARE(bytesOf(second), bytesOf(first));
    }
    void framesAreFoundByTheirContent()
    {
        const QString path = set_->leaveWork();
        // One has another name, one lies in a folder within, one in another folder.
        const QStringList frames = set_->frames();
        QVERIFY(QFile::rename(frames[0], set_->path() + QStringLiteral("/renamed.jpg")));
        QVERIFY(QDir(set_->path()).mkdir(QStringLiteral("within")));
        QVERIFY(QFile::rename(frames[1], set_->path() + QStringLiteral("/within/") + QFileInfo(frames[1]).fileName()));
        const QString elsewhere = set_->beside(QStringLiteral("elsewhere"));
        QVERIFY(QDir().mkpath(elsewhere));
        QVERIFY(QFile::rename(frames[2], elsewhere + QStringLiteral("/x.jpg")));
        Document document;
        document.setKeepsWork(true);
        QSignalSpy missing(&document, &Document::framesMissing);
        document.openWork({path});
        QTRY_COMPARE_WITH_TIMEOUT(missing.size(), 1, 30000);
        const auto said = missing[0][0].value<MissingFrames>();
        QCOMPARE(said.names, QStringList{QFileInfo(frames[2]).fileName()});
        QCOMPARE(said.found, 2);
        QVERIFY(!document.isOpen());
        document.openWork({path, {elsewhere}});
        settle(document);
        QCOMPARE(document.recipe().tone.exposure, 1.5);
        QCOMPARE(document.sources().frames.size(), size_t(3));
        // As they were measured: nothing was found anew.
        QVERIFY(document.measured() == *projectIn(path).measured);
    }
    void aFileOfTheSameNameIsNotTheFrame()
    {
        const QString path = set_->leaveWork();
        const QStringList frames = set_->frames();
        QVERIFY(QFile::remove(frames[0]) && QFile::copy(frames[1], frames[0]));
        Document document;
        QSignalSpy missing(&document, &Document::framesMissing);
        document.openWork({path});
        QTRY_COMPARE_WITH_TIMEOUT(missing.size(), 1, 30000);
        QCOMPARE(missing[0][0].value<MissingFrames>().names, QStringList{QFileInfo(frames[0]).fileName()});
    }
    void whatIsMissingIsAskedFor()
    {
        const QString path = set_->leaveWork();
        const QString gone = set_->frames()[0], away = set_->beside(QStringLiteral("away.jpg"));
        QVERIFY(QFile::rename(gone, away));
        auto window = newWindow();
        window->open({path});
        QTRY_VERIFY_WITH_TIMEOUT(window->offers()->isVisible(), 30000);
        QVERIFY(window->offers()->text().contains(QFileInfo(gone).fileName()));
        QVERIFY(!window->offers()->button(QStringLiteral("Go on from the radiance"))); // none was saved
        QPushButton *without = window->offers()->button(QStringLiteral("Go on without"));
        QVERIFY(without);
        QTest::mouseClick(without, Qt::LeftButton);
        settle(*window->document());
        QVERIFY(!window->offers()->isVisible());
        QCOMPARE(window->document()->recipe().tone.exposure, 1.5);
        QCOMPARE(window->document()->sources().frames.size(), size_t(2));
        window->document()->setTone(&ToneSettings::exposure, 2.0, QStringLiteral("exposure"));
        window->document()->keepNow();
        QCOMPARE(projectIn(path).missing.size(), size_t(1)); // it is not forgotten
        window.reset();
        QVERIFY(QFile::rename(away, gone));
        Document again; // it is back
        set_->open(again);
        QCOMPARE(again.recipe().tone.exposure, 2.0);
        QCOMPARE(again.sources().frames.size(), size_t(3));
        again.setTone(&ToneSettings::exposure, 2.5, QStringLiteral("exposure"));
        again.keepNow();
        QVERIFY(projectIn(path).missing.empty());
    }
    void framesThatWereDeletedLeaveTheirRadiance()
    {
        QString path;
        QImage before;
        const auto shownBy = [](Document &document) {
            settle(document);
            QImage out;
            const auto painted = connect(&document, &Document::tasted, &document,
                                         [&](const QString &, const QImage &picture) { out = picture; });
            document.taste({{QStringLiteral("x"), document.recipe(), QSize(150, 100)}});
            [&] { QTRY_VERIFY_WITH_TIMEOUT(!out.isNull(), 30000); }();
            disconnect(painted);
            return out;
        };
        {
            Document document;
            set_->open(document);
            document.setTone(&ToneSettings::contrast, 30.0, QStringLiteral("contrast"));
            QSignalSpy kept(&document, &Document::kept);
            document.saveRadiance(document.proposedPath(QStringLiteral("-radiance.exr")));
            QVERIFY(kept.wait(60000));
            before = shownBy(document);
            path = document.keptPath();
        }
        for (const QString &frame : set_->frames())
            QVERIFY(QFile::remove(frame));
        const auto window = newWindow();
        window->open({path});
        QTRY_VERIFY_WITH_TIMEOUT(window->offers()->isVisible(), 30000);
        QVERIFY(!window->offers()->button(QStringLiteral("Go on without"))); // there is nothing to go on with
        QTest::mouseClick(window->offers()->button(QStringLiteral("Go on from the radiance")), Qt::LeftButton);
        settle(*window->document());
        QCOMPARE(window->document()->recipe().tone.contrast, 30.0);
        const QImage after = shownBy(*window->document());
        double sum = 0.0;
        for (int y = 0; y < 100; ++y)
            for (int x = 0; x < 150; ++x)
                sum += std::abs(qGray(before.pixel(x, y)) - qGray(after.pixel(x, y)));
        constexpr double kNear = 2.0; // code values: half floats in the file, another reduction of its pixels
        QVERIFY2(sum / 15000 < kNear, qPrintable(QString::number(sum / 15000)));
        window->document()->setTone(&ToneSettings::contrast, 31.0, QStringLiteral("contrast"));
        window->document()->keepNow();
        QVERIFY(window->document()->keptPath() != path);
        QCOMPARE(projectIn(path).frames.size(), size_t(3)); // as it was
    }
    void oldNumbersStayUntilAskedForAnew()
    {
        const QString path = set_->leaveWork();
        Project project = projectIn(path);
        project.measured->processVersion = kProcessVersion - 1;
        project.measured->tone.exposure += 0.25; // a number of its own
        write(path, QByteArray::fromStdString(projectText(project)));
        const auto window = newWindow();
        window->open({path});
        settle(*window->document());
        QCOMPARE(QByteArray::fromStdString(measuredText(window->document()->measured())),
                 QByteArray::fromStdString(measuredText(*project.measured)));
        QPushButton *anew = window->offers()->button(QStringLiteral("Analyse anew"));
        QVERIFY(anew && anew->isVisible());
        QTest::mouseClick(anew, Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!window->document()->isOldAnalysis(), 60000);
        settle(*window->document());
        QCOMPARE(window->document()->recipe().tone.exposure, 1.5);
    }
    void aNewerProjectKeepsWhatItKnows()
    {
        const QString path = set_->leaveWork();
        QByteArray text = bytesOf(path);
        text.replace("\"version\":2,\"versions\"", "\"version\":7,\"versions\"");
        text.insert(1, "\"mood\":{\"of\":[1,2,3]},");
        write(path, text);
        {
            Document document;
            set_->open(document);
            QCOMPARE(document.recipe().tone.exposure, 1.5);
            document.setTone(&ToneSettings::exposure, 2.0, QStringLiteral("exposure"));
        }
        QVERIFY(bytesOf(path).contains("\"mood\":{\"of\":[1,2,3]}"));
        QCOMPARE(projectIn(path).version, 7);
        QCOMPARE(projectIn(path).history.current().tone.exposure, 2.0);
    }
    void hostileFilesAreOneLine()
    {
        const QString path = set_->leaveWork();
        const QByteArray good = bytesOf(path);
        const auto window = newWindow();
        const auto refused = [&](const QByteArray &text) {
            write(path, text);
            QSignalSpy failed(window->document(), &Document::failed);
            window->open({path});
            if (failed.isEmpty() && !failed.wait(30000))
                return QString();
            return failed[0][0].toString();
        };
        QByteArray climbing = good;
        climbing.replace("\"name\":\"tripod", "\"name\":\"../tripod");
        for (const QByteArray &text : {good.first(good.size() / 2), QByteArray("nothing"), QByteArray(200000, '['),
                                       climbing, QByteArray(good).replace("\"exposure\":1.5", "\"exposure\":1e9")}) {
            const QString said = refused(text);
            QVERIFY2(said.startsWith(QFileInfo(path).fileName() + QStringLiteral(": ")), qPrintable(said));
            QVERIFY(!said.contains(QLatin1Char('\n')));
            QVERIFY(!window->document()->isOpen());
            QCOMPARE(bytesOf(path), text);
        }
        QVERIFY(QFile::remove(path));
        window->open({path});
        QTRY_VERIFY(window->messages()->text().contains(QFileInfo(path).fileName()));
    }
    void whatEndedWithoutBeingClosedIsOffered()
    {
        const QString path = set_->leaveWork();
        {
            const auto window = newWindow();
            window->offerCutOff();
            QVERIFY(!window->offers()->isVisible()); // it was closed
        }
        QProcess other; // takes the claim with it
        other.start(QCoreApplication::applicationFilePath(), {QStringLiteral("claim"), path});
        QVERIFY(other.waitForReadyRead(30000));
        {
            const auto window = newWindow();
            window->offerCutOff();
            QVERIFY(!window->offers()->isVisible()); // it is open there
        }
        other.kill();
        QVERIFY(other.waitForFinished(10000));
        const auto window = newWindow();
        window->offerCutOff();
        QVERIFY(window->offers()->isVisible());
        const QString when = QLocale().toString(QFileInfo(path).lastModified(), QStringLiteral("HH:mm"));
        QVERIFY(window->offers()->text().contains(when));
        QTest::mouseClick(window->offers()->button(QStringLiteral("Go on with it")), Qt::LeftButton);
        settle(*window->document());
        QCOMPARE(window->document()->recipe().tone.exposure, 1.5);
    }
    void closingAsksWhereSomethingWouldBeLost()
    {
        const auto window = newWindow();
        Document &document = *window->document();
        document.open(set_->frames());
        settle(document);
        QVERIFY(QDir(set_->path()).removeRecursively());
        QFile inTheWay(set_->path()); // nor can one be made there
        QVERIFY(inTheWay.open(QIODevice::WriteOnly));
        document.setTone(&ToneSettings::exposure, 1.5, QStringLiteral("exposure"));
        document.setTone(&ToneSettings::contrast, 15.0, QStringLiteral("contrast"));
        int asked = 0;
        const auto answer = [&](const QString &with) {
            QTimer::singleShot(0, [&asked, with] {
                auto *box = qobject_cast<QMessageBox *>(QApplication::activeModalWidget());
                QVERIFY(box);
                ++asked;
                QVERIFY(box->informativeText().contains(QStringLiteral("exposure, contrast")));
                for (QAbstractButton *button : box->buttons())
                    if (button->text() == with)
                        return button->click();
                QFAIL("no such button");
            });
        };
        answer(QStringLiteral("Stay"));
        QVERIFY(!window->close());
        QCOMPARE(document.recipe().tone.exposure, 1.5);
        document.keepAt(set_->beside(QStringLiteral("saved.yolk"))); // as the second button asks for
        QVERIFY(document.unkept().isEmpty());
        QCOMPARE(projectIn(set_->beside(QStringLiteral("saved.yolk"))).history.current().tone.contrast, 15.0);
        QVERIFY(window->close()); // nothing is asked any more
        QCOMPARE(asked, 1);
    }
    void aFullDiskIsSaidAndTheWorkStays()
    {
        Document document;
        set_->open(document);
        document.setTone(&ToneSettings::exposure, 1.0, QStringLiteral("exposure"));
        document.keepNow();
        const QByteArray before = bytesOf(document.keptPath());
        QVERIFY(!before.isEmpty());
        // No file may grow beyond a few kilobytes: what a write to a full disk says is another number, no other case.
        rlimit unlimited{};
        QCOMPARE(getrlimit(RLIMIT_FSIZE, &unlimited), 0);
        std::signal(SIGXFSZ, SIG_IGN);
        rlimit full = unlimited;
        full.rlim_cur = 8192;
        QCOMPARE(setrlimit(RLIMIT_FSIZE, &full), 0);
        QSignalSpy failed(&document, &Document::failed);
        document.setTone(&ToneSettings::exposure, 2.0, QStringLiteral("exposure"));
        document.keepNow();
        QSignalSpy kept(&document, &Document::kept);
        document.exportPicture(set_->beside(QStringLiteral("picture.tif")));
        document.saveRadiance(set_->beside(QStringLiteral("light.exr")));
        const auto exports = [&] { return document.lanes()[0]->busy(); };
        for (int i = 0; i < 3000 && exports(); ++i)
            QTest::qWait(10);
        QCOMPARE(setrlimit(RLIMIT_FSIZE, &unlimited), 0);
        QCOMPARE(failed.size(), 3);
        QVERIFY2(failed[0][0].toString().contains(QStringLiteral("is the disk full?")),
                 qPrintable(failed[0][0].toString()));
        QVERIFY(kept.isEmpty());
        QVERIFY(!QFile::exists(set_->beside(QStringLiteral("picture.tif"))));
        QVERIFY(!QFile::exists(set_->beside(QStringLiteral("light.exr"))));
        QVERIFY(!document.unkept().isEmpty());
        QCOMPARE(document.unkeptChanges(), QStringList{QStringLiteral("exposure")});
        QCOMPARE(bytesOf(document.keptPath()), before); // the last state that was kept
        document.keepNow();                             // there is room again
        QVERIFY(document.unkept().isEmpty());
        QCOMPARE(projectIn(document.keptPath()).history.current().tone.exposure, 2.0);
    }
    void ratingsAndUnknownSettingsComeBack()
    {
        const QString path = set_->leaveWork();
        {
            Document document;
            set_->open(document);
            document.setRating(4);
            document.setChosen(true);
            document.keepVersion(QStringLiteral("one"));
            document.setGroupName(QStringLiteral("zones"), QStringLiteral("Window"));
        }
        Document again;
        set_->open(again);
        QCOMPARE(again.rating(), 4);
        QVERIFY(again.isChosen());
        QCOMPARE(again.versions().size(), 1);
        QCOMPARE(again.groupName(QStringLiteral("zones")), QStringLiteral("Window"));
    }
};

namespace {

/// Another window that has work open.
int claim(const QString &path)
{
    const auto claimed = claimWork(path);
    std::puts(claimed ? "claimed" : "not");
    std::fflush(stdout);
    return QCoreApplication::exec();
}

} // namespace

int main(int argc, char **argv)
{
    QApplication application(argc, argv);
    test::keepAwayFromOwnWork();
    if (argc == 3 && QByteArray(argv[1]) == "claim")
        return claim(QString::fromLocal8Bit(argv[2]));
    TestOpenedWork test;
    return QTest::qExec(&test, argc, argv);
}
#include "tst_opened_work.moc"
