// Many sets in the window: from a folder to cards, from set to set, settings across them, and the run that writes them.
#include "main_window.h"

#include "canvas/canvas.h"
#include "canvas/offer_strip.h"
#include "compare_bar.h"
#include "document/preset_shelf.h"
#include "keeping/paste_dialog.h"
#include "lightscale/light_scale.h"
#include "sets/sets_view.h"
#include "status_line.h"
#include "widgets/question.h"

#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QLineEdit>
#include <QListWidget>
#include <QStackedWidget>

#include <algorithm>

namespace yolk::app {
void MainWindow::connectSets()
{
    connect(sets_, &SetsView::openAsked, this, &MainWindow::openSet);
    connect(collection_, &Collection::loaded, this, [this] {
        workedOn_.clear();
        openSet_ = -1;
        refreshMessages();
        if (!collection_->isEmpty())
            sets_->panel()->setFolder(
                QDir(QFileInfo(collection_->sets().front().front()).absolutePath()).filePath(tr("finished")));
        if (collection_->sets().size() == 1)
            openSet(0);
        else
            showSets(true);
        refreshCommands();
    });
    connect(collection_, &Collection::changed, this, [this] { // indices are others now
        workedOn_.clear();
        openSet_ = -1;
        document_->prepare({});
        refreshCommands();
    });
    connect(collection_, &Collection::edited, this, [this](const SetChange &change, int leftAlone) {
        if (leftAlone > 0)
            status_->say(tr("%1 sets were left as they are: somebody worked on them by hand.").arg(leftAlone));
        else if (change.settings)
            status_->say(tr("Done: %1.").arg(change.what));
    });
    connect(sets_, &SetsView::ratingAsked, this, [this](const QList<int> &sets, int eggs) {
        SetChange change{tr("rating")};
        change.rating = eggs;
        editSets(sets, change);
    });
    connect(sets_, &SetsView::choosingAsked, this, &MainWindow::chooseSets);
    const SetsPanel *panel = sets_->panel();
    connect(panel, &SetsPanel::presetAsked, this, [this](const QString &name) {
        if (const std::optional<Preset> preset = shelf_->find(name)) {
            SetChange change{tr("preset %1").arg(name)};
            change.settings = [preset = *preset](const Recipe &now, const Recipe &start, const Measured &) {
                return withPreset(now, preset, 100.0, start);
            };
            editSets(sets_->actedOn(), change);
        }
    });
    connect(panel, &SetsPanel::copyAsked, this, &MainWindow::copySettings);
    connect(panel, &SetsPanel::pasteAsked, this, &MainWindow::pasteSettings);
    connect(panel, &SetsPanel::asLastAsked, this, [this] {
        if (!lastSettings_)
            return status_->say(tr("No set was open yet: open one and work on it first."));
        SetChange change{tr("as the last one")};
        change.settings = [copied = *lastSettings_, groups = changedLooks(*lastSettings_)](
                              const Recipe &now, const Recipe &start, const Measured &) {
            return withCopied(now, start, copied, groups);
        };
        editSets(sets_->actedOn(), change);
    });
    connect(panel, &SetsPanel::sameRoomAsked, this, &MainWindow::makeSameRoom);
    connect(panel, &SetsPanel::runAsked, this, &MainWindow::runSets);
    connect(panel, &SetsPanel::folderAsked, this, [this] {
        const QString folder =
            QFileDialog::getExistingDirectory(this, tr("Where the files go"), sets_->panel()->folder()->text());
        if (!folder.isEmpty())
            sets_->panel()->setFolder(folder);
    });
    connect(panel, &SetsPanel::sheetAsked, this, &MainWindow::askAndWriteSheet);
    connect(sets_->run(), &SetRun::failed, document_, &Document::failed);
    connect(sets_->run(), &SetRun::sheetWritten, this,
            [this](const QString &path) { status_->say(tr("Saved %1").arg(QFileInfo(path).fileName())); });
    connect(sets_->run(), &SetRun::changed, this, &MainWindow::refreshCommands);
    connect(sets_->run(), &SetRun::ended, this, [this] {
        status_->say(tr("Run over: %1.").arg(sets_->panel()->state()));
        refreshCommands();
    });
    // While one set is looked at, the next one is merged: stepping shows it at once.
    constexpr int kQuiet = 1500; // milliseconds after the full merge: what one does first goes first
    walkTimer_.setSingleShot(true);
    walkTimer_.setInterval(kQuiet);
    connect(document_, &Document::mergedChanged, this, [this] {
        if (openSet_ >= 0 && document_->fullMergeReady())
            walkTimer_.start();
    });
    connect(&walkTimer_, &QTimer::timeout, this, [this] {
        if (openSet_ < 0 || !document_->fullMergeReady())
            return;
        for (const int next : {openSet_ + walks_, openSet_ - walks_}) // at the end of the way, the one before
            if (next >= 0 && next < int(collection_->sets().size()))
                return document_->prepare(collection_->sets()[next]);
    });
}

bool MainWindow::isInSets() const
{
    return middle_->currentWidget() == sets_;
}

void MainWindow::openSet(int index)
{
    if (index < 0 || index >= int(collection_->sets().size()))
        return;
    if (openSet_ >= 0)
        walks_ = index < openSet_ ? -1 : 1;
    showSets(false);
    if (index == openSet_)
        return;
    if (openSet_ >= 0 && document_->isOpen()) {
        workedOn_.insert(openSet_, document_->recipe());
        lastSettings_ = document_->copied();
    }
    openSet_ = index;
    sets_->setCurrent(index);
    const auto before = workedOn_.constFind(index);
    document_->open(collection_->sets()[index],
                    before == workedOn_.constEnd() ? std::nullopt : std::optional<Recipe>(before.value()),
                    collection_->card(index).known);
    refreshCommands();
}

void MainWindow::showSets(bool on)
{
    if (on && openSet_ >= 0 && document_->isOpen()) { // its card shows what was done
        lastSettings_ = document_->copied();
        document_->keepNow();
        collection_->remake(openSet_);
        sets_->grid()->select({openSet_});
    }
    middle_->setCurrentIndex(on ? 1 : 0);
    panels_->setVisible(!on && document_->isOpen()); // what follows is about one set
    scale_->setVisible(!on && showScale_->isChecked());
    compareBar_->setAway(on);
    status_->setAboutPicture(!on);
    refreshVersions();
    if (on)
        sets_->setFocus();
    else
        canvas_->setFocus();
    refreshCommands();
}

/// The open one is changed in the window, so that it can be undone there; the others in their files.
void MainWindow::editSets(const QList<int> &sets, SetChange change)
{
    if (sets.isEmpty())
        return;
    if (change.settings) {
        const auto byHand =
            std::ranges::count_if(sets, [this](int set) { return collection_->card(set).isWorkedOnByHand; });
        if (byHand > 0) {
            enum { Leave, All, None };
            const int answer = ask(this, QMessageBox::Question,
                                   tr("Somebody worked by hand on %1 of these %2 sets.").arg(byHand).arg(sets.size()),
                                   tr("What was done can be undone in each of them."),
                                   {{tr("Leave those as they are")},
                                    {tr("Change all"), QMessageBox::DestructiveRole},
                                    {tr("Change none"), QMessageBox::RejectRole}},
                                   Leave);
            if (answer == None)
                return;
            change.overHand = answer == All;
        }
    }
    QList<int> others;
    for (const int set : sets) {
        if (set != openSet_ || !document_->isOpen()) {
            others << set;
            continue;
        }
        if (change.rating)
            document_->setRating(*change.rating);
        if (change.chosen)
            document_->setChosen(*change.chosen);
        if (change.settings && (change.overHand || !collection_->card(set).isWorkedOnByHand))
            document_->setRecipeAcross(change.settings(document_->recipe(), document_->start(), document_->measured()),
                                       change.what);
        document_->keepNow();
        collection_->remake(set);
    }
    document_->prepare({}); // it may be one of them
    collection_->edit(others, change);
}

void MainWindow::chooseSets(const QList<int> &sets)
{
    SetChange change{tr("chosen")};
    change.chosen = std::ranges::any_of(sets, [this](int set) { return !collection_->card(set).chosen; });
    editSets(sets, change);
}

/// Of the card at hand.
void MainWindow::copySettingsOfCard()
{
    const int set = sets_->grid()->currentSet();
    if (set < 0 || !collection_->card(set).known.measured)
        return status_->say(tr("Choose a set whose picture is there."));
    const SetCard &card = collection_->card(set);
    copyToClipboard({card.recipe, automaticStart(*card.known.measured)});
    status_->say(tr("The settings of set %1 are copied: paste them on others with Ctrl+Shift+V.").arg(set + 1));
}

void MainWindow::pasteOnSets(const CopiedSettings &copied)
{
    PasteDialog dialog(copied, this);
    if (dialog.exec() != QDialog::Accepted)
        return;
    SetChange change{tr("paste settings")};
    change.settings = [copied, groups = dialog.groups()](const Recipe &now, const Recipe &start, const Measured &) {
        return withCopied(now, start, copied, groups);
    };
    editSets(sets_->actedOn(), change);
}

void MainWindow::makeSameRoom()
{
    const QList<int> sets = sets_->actedOn();
    status_->say(tr("Looking at the light of %1 sets.").arg(sets.size()));
    collection_->whenMade(sets, [this, sets] {
        std::vector<const SetCard *> cards;
        for (const int set : sets)
            cards.push_back(&collection_->card(set));
        const SameRoom room = sameRoomOf(cards);
        SetChange change{tr("same room")};
        change.settings = [room](const Recipe &now, const Recipe &, const Measured &measured) {
            return inRoom(now, measured, room);
        };
        editSets(sets, change);
        if (!room.brightness)
            status_->say(
                tr("These frames do not say how they were exposed: the sets share a white, not a brightness."));
    });
}

// ---- the run

void MainWindow::runSets()
{
    SetRun *run = sets_->run();
    if (run->isRunning())
        return;
    if (collection_->editsLeft() > 0)
        return status_->say(tr("Some sets are still being changed: run when they are done."));
    const std::vector<ExportPreset> ways = exports_->ticked();
    if (ways.empty())
        return void(
            Q_EMIT document_->failed(tr("No export preset is ticked: tick what is to be written of each set.")));
    if (document_->isOpen())
        document_->keepNow();
    const QString out = sets_->panel()->folder()->text().trimmed();
    if (out.isEmpty())
        return void(Q_EMIT document_->failed(tr("Say where the files of the run go.")));
    QList<int> unknown;
    for (const int set : sets_->actedOn())
        if (set != openSet_ && collection_->isWorkUnknown(set))
            unknown << set;
    if (!unknown.isEmpty()) {
        status_->say(tr("Reading the work on %1 sets.").arg(unknown.size()));
        return collection_->whenMade(unknown, [this] { runSets(); });
    }
    std::vector<BatchJob> jobs;
    for (const int set : sets_->actedOn()) {
        BatchJob job;
        job.number = set + 1;
        for (const QString &path : collection_->sets()[set])
            job.frames.push_back(QFile::encodeName(path).toStdString());
        job.out = QFile::encodeName(QDir(out).absolutePath()).toStdString();
        job.exports = ways;
        const QString work =
            set == openSet_ && document_->isOpen() ? document_->keptPath() : collection_->card(set).project;
        if (!work.isEmpty() && QFileInfo::exists(work))
            job.project = QFile::encodeName(work).toStdString();
        jobs.push_back(std::move(job));
    }
    try {
        run->start(jobs, out, sets_->panel()->anew()->isChecked());
    } catch (const Error &e) {
        Q_EMIT document_->failed(QString::fromUtf8(e.what()));
    }
}

void MainWindow::offerRunCutOff()
{
    const QString list = SetRun::cutOff();
    if (list.isEmpty() || offers_->isVisible()) // one question at a time; it is asked at the next start
        return;
    offers_->offer(
        tr("A run into %1 ended before it was done.").arg(QFileInfo(list).dir().absoluteFilePath(QStringLiteral(".."))),
        {{tr("Go on with it"), tr("Writes what is missing; what is done stays."),
          [this, list] {
              try {
                  sets_->run()->goOn(list);
              } catch (const Error &e) {
                  Q_EMIT document_->failed(QString::fromUtf8(e.what()));
              }
          }},
         {tr("Forget it"), tr("Does not ask again; what is done stays."), [] { SetRun::forgetCutOff(); }}},
        tr("Not now"));
}

void MainWindow::askAndWriteSheet()
{
    SetRun *run = sets_->run();
    const QString path = QFileDialog::getSaveFileName(
        this, tr("Contact sheet"), QDir(run->out()).filePath(tr("contact-sheet.pdf")), tr("PDF (*.pdf)"));
    if (!path.isEmpty())
        run->writeSheet(path);
}

} // namespace yolk::app
