// Many sets in the real window: cards, the split, settings across them, from set to set, and the run.
#include "kept_folder.h"

#include "canvas/offer_strip.h"
#include "compare_bar.h"
#include "io/codec.h"
#include "main_window.h"
#include "project/work_files.h"
#include "recipe/preset.h"
#include "sets/sets_view.h"
#include "status_line.h"
#include "support/synthetic.h"
#include "widgets/egg_rating.h"

#include <opencv2/imgcodecs.hpp>

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>

#include <cmath>

using namespace yolk;
using namespace yolk::app;

namespace {

constexpr int kSets = 5, kFrames = 3, kLong = 60000; // milliseconds

void clickInBox(const QString &button)
{
    QTimer::singleShot(200, qApp, [button] {
        for (QWidget *widget : QApplication::topLevelWidgets())
            if (auto *box = qobject_cast<QMessageBox *>(widget))
                for (QAbstractButton *each : box->buttons())
                    if (each->text().remove('&') == button)
                        return each->click();
    });
}

} // namespace

class TestSetsStep : public QObject {
    Q_OBJECT
    QTemporaryDir dir_, settings_;
    std::unique_ptr<MainWindow> window_;

    QString card() const { return dir_.filePath("card"); }
    QString out(const char *name) const { return dir_.filePath(QLatin1String(name)); }
    Document &document() const { return *window_->document(); }
    Collection &sets() const { return *window_->collection(); }
    SetsView &view() const { return *window_->setsView(); }
    SetGrid &grid() const { return *view().grid(); }
    SetsPanel &panel() const { return *view().panel(); }
    QAction *command(const char *name) const
    {
        for (QAction *action : window_->findChildren<QAction *>())
            if (action->text().remove('&').startsWith(QLatin1String(name)))
                return action;
        return nullptr;
    }
    void cardsAreMade() const
    {
        for (int set = 0; set < int(sets().sets().size()); ++set)
            QTRY_VERIFY_WITH_TIMEOUT(sets().card(set).isMade, kLong);
    }
    void editsAreDone() const { QTRY_COMPARE_WITH_TIMEOUT(sets().editsLeft(), 0, kLong); }
    Recipe kept(int set) const
    {
        return loadProject(QFile::encodeName(sets().card(set).project).toStdString()).history.current();
    }
    void takePreset(const QString &name) const
    {
        for (QAction *group : panel().preset()->menu()->actions())
            for (QAction *action : group->menu()->actions())
                if (action->text() == name)
                    return action->trigger();
        QFAIL("there is no such preset");
    }
    void settled() const { test::settle(document()); }
    void runs() const
    {
        QSignalSpy ended(view().run(), &SetRun::ended);
        command("Run over")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(ended.count(), 1, kLong);
    }

private Q_SLOTS:
    void initTestCase()
    {
        test::keepAwayFromOwnWork();
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings_.path());
        QCoreApplication::setOrganizationName("yolk-test-sets");
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)).removeRecursively();
        QVERIFY(QDir().mkpath(card()));
        for (int set = 0; set < kSets; ++set) {
            const QTemporaryDir folder;
            const QStringList frames = test::writeBracket(
                folder.path(), test::rampScene(160, 120 + 8 * set, 0.004, 8 + set).view(), {-3, -1, 1}, 1.0);
            for (int i = 0; i < kFrames; ++i)
                QVERIFY(QFile::copy(frames[i], QStringLiteral("%1/set%2_%3.jpg").arg(card()).arg(set).arg(i)));
        }
        const QString cut = card() + "/set3_1.jpg"; // its head can be read
        test::writeBytes(cut, test::bytesOf(cut).first(2500));
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->document()->setKeepsWork(true);
        window_->resize(1280, 800);
        window_->show();
        window_->open({card()});
        QTRY_VERIFY_WITH_TIMEOUT(!sets().isEmpty() && view().isVisible(), 20000);
    }

    void aFolderBecomesCards()
    {
        QCOMPARE(int(sets().sets().size()), kSets); // other sizes are other sets
        QVERIFY(view().heading().contains("5 sets of 15 frames"));
        cardsAreMade();
        for (int set = 0; set < kSets; ++set)
            QVERIFY(!sets().card(set).picture.isNull());
        QVERIFY(sets().card(0).troubles.isEmpty());
        QVERIFY(sets().card(3).troubles.join(' ').contains("set3_1.jpg"));
        // Only what is in trouble.
        Q_EMIT panel().show()->chosen(2);
        QCOMPARE(grid().shown(), QList<int>{3});
        Q_EMIT panel().show()->chosen(0);
        QCOMPARE(grid().cards()->rowCount(), kSets);
    }

    void theSplitIsMended()
    {
        // A fixed number a set, and back.
        panel().splitting()->setIndex(1);
        panel().framesOfOne()->setValue(5);
        Q_EMIT panel().splitting()->chosen(1);
        QCOMPARE(int(sets().sets().size()), 3);
        QCOMPARE(sets().sets()[0].size(), 5);
        panel().framesOfOne()->setValue(4); // a number that is dragged is one step of undo
        Q_EMIT panel().framesOfOne()->changed(4, {});
        QCOMPARE(sets().sets()[0].size(), 4);
        command("Undo")->trigger();
        QCOMPARE(int(sets().sets().size()), kSets);
        // Split at a frame by a key, and joined again by another.
        grid().select({1});
        QCOMPARE(view().frames()->frames().size(), kFrames);
        SetFrame *last = view().frames()->frames().last();
        last->setFocus();
        QTest::keyClick(last, Qt::Key_N);
        QCOMPARE(int(sets().sets().size()), kSets + 1);
        QCOMPARE(sets().sets()[2].size(), 1);
        grid().select({1});
        grid().setFocus();
        QTest::keyClick(&grid(), Qt::Key_J);
        QCOMPARE(int(sets().sets().size()), kSets);
        QCOMPARE(sets().sets()[1].size(), kFrames);
        // Joined by dropping one card onto another.
        QMimeData data;
        data.setData("application/x-yolk-set", "4");
        QTest::qWait(50); // until the cards lie where they belong
        const QPoint onto = grid().visualRect(grid().cards()->index(0)).center();
        QDragEnterEvent enter(onto, Qt::MoveAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(grid().viewport(), &enter);
        QDropEvent drop(onto, Qt::MoveAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(grid().viewport(), &drop);
        QCOMPARE(int(sets().sets().size()), kSets - 1);
        QCOMPARE(sets().sets()[0].size(), 2 * kFrames);
        command("Undo")->trigger();
        QCOMPARE(int(sets().sets().size()), kSets);
        cardsAreMade(); // those of before are still known
    }

    void aPresetGoesToAllAndHandWorkStays()
    {
        grid().select({});
        QVERIFY(panel().actsOn().contains("all 5 sets"));
        takePreset("Poached");
        editsAreDone();
        for (int set = 0; set < kSets; ++set) {
            const SetCard &card = sets().card(set);
            const Recipe start = automaticStart(*card.known.measured);
            QCOMPARE(kept(set), withPreset(start, presetNamed("Poached"), 100.0, start)); // from its own start
            QVERIFY(!card.isWorkedOnByHand);
        }
        QVERIFY(kept(0).tone != kept(2).tone);

        // One is adjusted in the window.
        grid().select({1});
        QTest::keyClick(&grid(), Qt::Key_Return);
        settled();
        QCOMPARE(document().recipe(), kept(1)); // and it is found there
        document().setTone(&ToneSettings::exposure, 0.75, "exposure");
        QVERIFY(window_->compareBar()->isVisible() && !command("Run over")->isEnabled());
        command("Sets")->trigger();
        QVERIFY(!window_->compareBar()->isVisible() &&
                command("Run over")->isEnabled()); // cards are compared with nothing
        QTRY_VERIFY_WITH_TIMEOUT(sets().card(1).isMade && sets().card(1).isWorkedOnByHand, kLong);
        QCOMPARE(kept(1).tone.exposure, 0.75);

        // Another preset for all asks before it takes that away.
        grid().select({});
        clickInBox("Leave those as they are");
        takePreset("Squid ink");
        editsAreDone();
        QCOMPARE(kept(1).tone.exposure, 0.75);
        const Recipe start = automaticStart(*sets().card(0).known.measured);
        QVERIFY(kept(0) != withPreset(start, presetNamed("Poached"), 100.0, start));
        // Undone in one of them, step by step.
        QCOMPARE(int(loadProject(sets().card(0).project.toStdString()).history.states().size()), 3);

        // "As the last one": its distance from its start goes to the others.
        grid().select({2, 3});
        QVERIFY(panel().actsOn().contains("2 sets"));
        panel().asLast()->click();
        editsAreDone();
        const Recipe last = kept(1), lastStart = automaticStart(*sets().card(1).known.measured);
        const Recipe ownStart = automaticStart(*sets().card(2).known.measured);
        QVERIFY(std::abs((kept(2).tone.exposure - ownStart.tone.exposure) -
                         (last.tone.exposure - lastStart.tone.exposure)) < 1e-9);
    }

    void sameRoomSharesWhiteAndBrightness()
    {
        grid().select({0, 2});
        panel().sameRoom()->click();
        QTRY_VERIFY_WITH_TIMEOUT(kept(0).white.mode == WhiteMode::Own && kept(2).white.mode == WhiteMode::Own, kLong);
        editsAreDone();
        QCOMPARE(kept(0).white, kept(2).white);
        QVERIFY(sets().card(0).hasExposureData);
        const auto brightness = [&](int set) {
            return kept(set).tone.exposure + std::log2(sets().card(set).known.measured->anchorExposure);
        };
        QVERIFY(std::abs(brightness(0) - brightness(2)) < 1e-9);
        // The middle of what they had: of one set alone nothing changes but that it is written down.
        const SetCard &card = sets().card(4);
        const Recipe alone = inRoom(card.recipe, *card.known.measured, sameRoomOf({&card}));
        QVERIFY(std::abs(alone.tone.exposure - card.recipe.tone.exposure) < 1e-9);
        QVERIFY(std::abs(alone.white.temperature - card.known.measured->asShot.temperature) < 1e-6);
    }

    void ratedChosenFilteredSorted()
    {
        grid().select({2});
        grid().setFocus();
        QTest::keyClick(&grid(), Qt::Key_4);
        grid().select({3});
        QTest::keyClick(&grid(), Qt::Key_5);
        QTest::keyClick(&grid(), Qt::Key_C);
        QCOMPARE(sets().card(3).rating, 5); // shown at once
        QVERIFY(sets().card(3).chosen);
        editsAreDone();
        QCOMPARE(loadProject(sets().card(2).project.toStdString()).rating, 4);
        QVERIFY(loadProject(sets().card(3).project.toStdString()).chosen);
        Q_EMIT panel().leastRating()->rated(4);
        QCOMPARE(grid().shown(), (QList<int>{2, 3}));
        Q_EMIT panel().order()->chosen(2);
        QCOMPARE(grid().shown(), (QList<int>{3, 2})); // the best first
        Q_EMIT panel().show()->chosen(1);
        QCOMPARE(grid().shown(), QList<int>{3});
        Q_EMIT panel().show()->chosen(0);
        Q_EMIT panel().order()->chosen(0);
        Q_EMIT panel().leastRating()->rated(0);
        QCOMPARE(grid().cards()->rowCount(), kSets);
        // By the commands of the menu, in eggs, on what is open too.
        grid().select({0});
        command("3")->trigger();
        editsAreDone();
        QCOMPARE(sets().card(0).rating, 3);
    }

    void theNextSetIsThereWhenOneSteps()
    {
        window_->openSet(0);
        settled();
        QTRY_VERIFY_WITH_TIMEOUT(document().isPrepared(sets().sets()[1]), kLong);
        command("Next set")->trigger();
        // At once: nothing was waited for.
        QCOMPARE(QString::fromStdString(document().sources().frames.front()->path), sets().sets()[1].front());
        const auto key = RenderPlan(document().sources(), document().measured(), document().recipe());
        QVERIFY(document().sources().cache->held<MergedSet>(key.mergedKey(1)));
        settled();
        QCOMPARE(document().recipe().tone.exposure, 0.75);
        command("Sets")->trigger();
        QVERIFY(view().isVisible());
    }

    void theRunWritesWhatTheWindowShows()
    {
        ExportPreset tiff{"Sixteen", "", {}};
        tiff.settings.format = PictureFormat::Tiff;
        tiff.settings.depth = FileDepth::Sixteen;
        tiff.settings.name = "{name}";
        window_->exportShelf()->keep(tiff);
        // Nothing ticked, nothing written: it is said.
        QSignalSpy failed(&document(), &Document::failed);
        panel().run()->click();
        QCOMPARE(failed.count(), 1);
        for (int i = 0; i < panel().exports()->count(); ++i)
            if (panel().exports()->item(i)->text().startsWith("Sixteen"))
                panel().exports()->item(i)->setCheckState(Qt::Checked);
        panel().setFolder(out("finished"));
        grid().select({});
        cardsAreMade();
        runs();
        QVERIFY2(panel().state().contains("5 done"), qPrintable(panel().state()));
        QCOMPARE(grid().cards()->progress(0).state, SetProgress::State::Done);
        QVERIFY(panel().report()->isVisible());
        QCOMPARE(QDir(out("finished")).entryList({"*.tif"}).size(), kSets);
        // The same pixels as one at a time.
        for (const int set : {1, 3}) {
            window_->openSet(set);
            settled();
            Recipe recipe = document().recipe();
            recipe.output = tiff.settings;
            QSignalSpy written(&document(), &Document::kept);
            const QString alone = out("alone.tif");
            document().exportRecipe(alone, recipe);
            QTRY_COMPARE_WITH_TIMEOUT(written.count(), 1, kLong);
            const QString name = QFileInfo(sets().sets()[set].front()).completeBaseName() + ".tif";
            const cv::Mat a = cv::imread(alone.toStdString(), cv::IMREAD_UNCHANGED),
                          b = cv::imread((out("finished") + QLatin1Char('/') + name).toStdString(),
                                         cv::IMREAD_UNCHANGED);
            QVERIFY(!a.empty());
            QCOMPARE(a.size(), b.size());
            QCOMPARE(cv::norm(a, b, cv::NORM_INF), 0.0);
            command("Sets")->trigger();
        }
        cardsAreMade();
        // Again: what is done stays as it is.
        const QDateTime before = QFileInfo(out("finished/set0_0.tif")).lastModified();
        QVERIFY(before.isValid());
        grid().select({});
        runs();
        QVERIFY(panel().state().contains("5 done"));
        QCOMPARE(QFileInfo(out("finished/set0_0.tif")).lastModified(), before);
        // The report and the contact sheets.
        const QJsonObject report =
            QJsonDocument::fromJson(test::bytesOf(view().run()->reportPath().chopped(4) + "json")).object();
        QCOMPARE(report["jobs"].toArray().size(), kSets);
        QVERIFY(test::bytesOf(view().run()->reportPath()).contains("5 sets, 5 done, 0 not"));
        QVERIFY(test::bytesOf(out("finished/contact-sheet.html")).count("alt=\"Before\"") == kSets);
        QSignalSpy sheet(view().run(), &SetRun::sheetWritten), notWritten(view().run(), &SetRun::failed);
        view().run()->writeSheet(out("sheet.pdf"));
        QTRY_COMPARE_WITH_TIMEOUT(sheet.count(), 1, kLong);
        const QByteArray pdf = test::bytesOf(out("sheet.pdf"));
        QVERIFY(pdf.startsWith("%PDF"));
        QCOMPARE(pdf.count("/Subtype /Image"), 2 * kSets);
        view().run()->writeSheet("/no/such/folder/sheet.pdf");
        QTRY_COMPARE_WITH_TIMEOUT(notWritten.count(), 1, kLong);
        QVERIFY(notWritten.front().front().toString().contains("sheet.pdf"));
    }

    void itWaitsStopsAndGoesOn()
    {
        SetRun *run = view().run();
        panel().setFolder(out("second"));
        QSignalSpy ended(run, &SetRun::ended);
        grid().select({});
        panel().run()->click();
        QVERIFY(run->isRunning());
        run->setPaused(true);
        QVERIFY(panel().state().contains("waits"));
        // A list lies there for whoever comes after a crash.
        const QString list = SetRun::cutOff();
        QVERIFY(QFileInfo::exists(list));
        const QByteArray lines = test::bytesOf(list);
        QCOMPARE(lines.count('\n'), kSets);
        QTest::qWait(1500); // what had begun ends
        const int had = int(QDir(out("second")).entryList({"*.tif"}).size());
        QVERIFY2(had < kSets, qPrintable(QString::number(had)));
        panel().stop()->click();
        QTRY_COMPARE_WITH_TIMEOUT(ended.count(), 1, kLong);
        QVERIFY(run->wasStopped());
        QVERIFY(panel().state().contains("stopped"));
        QVERIFY(SetRun::cutOff().isEmpty()); // nobody needs to be asked

        // A window that starts after a crash offers to go on.
        test::writeBytes(list, lines);
        QSettings().setValue("run/list", list);
        window_->offerRunCutOff();
        QVERIFY(window_->offers()->text().contains("ended before it was done"));
        window_->offers()->button("Go on with it")->click();
        QTRY_COMPARE_WITH_TIMEOUT(ended.count(), 2, kLong);
        QCOMPARE(QDir(out("second")).entryList({"*.tif"}).size(), kSets);
        QVERIFY(SetRun::cutOff().isEmpty());
    }

    void failuresAreNamedAndTheRestIsDone()
    {
        panel().setFolder(out("third"));
        QFile::rename(card() + "/set4_0.jpg", card() + "/set4_0.away");
        QFile::rename(card() + "/set4_1.jpg", card() + "/set4_1.away");
        QFile::rename(card() + "/set4_2.jpg", card() + "/set4_2.away");
        grid().select({});
        runs();
        QVERIFY2(panel().state().contains("4 done") && panel().state().contains("1 not"), qPrintable(panel().state()));
        QCOMPARE(grid().cards()->progress(4).state, SetProgress::State::Failed);
        QVERIFY(!grid().cards()->progress(4).why.isEmpty());
        QCOMPARE(QDir(out("third")).entryList({"*.tif"}).size(), kSets - 1);
        for (int i = 0; i < kFrames; ++i)
            QFile::rename(QStringLiteral("%1/set4_%2.away").arg(card()).arg(i),
                          QStringLiteral("%1/set4_%2.jpg").arg(card()).arg(i));
        runs(); // only that one
        QVERIFY(panel().state().contains("5 done"));
        // A folder that cannot be written is said in one line.
        QSignalSpy failed(&document(), &Document::failed);
        panel().setFolder("/proc/none");
        panel().run()->click();
        QCOMPARE(failed.count(), 1);
        QVERIFY(!view().run()->isRunning());
    }

    void aWindowThatIsClosedAsks()
    {
        panel().setFolder(out("fourth"));
        grid().select({});
        panel().run()->click();
        clickInBox("Stay");
        QVERIFY(!window_->close());
        QTRY_VERIFY_WITH_TIMEOUT(!view().run()->isRunning(), kLong);
    }
};

QTEST_MAIN(TestSetsStep)
#include "tst_sets_step.moc"
