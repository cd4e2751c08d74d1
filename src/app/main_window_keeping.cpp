// What the window says and asks about work that is kept: versions, stages, copies of settings, what was found or lost.
#include "main_window.h"

#include "canvas/canvas.h"
#include "canvas/offer_strip.h"
#include "document/recent_work.h"
#include "keeping/history_panel.h"
#include "keeping/paste_dialog.h"
#include "keeping/preferences_dialog.h"
#include "keeping/stages_panel.h"
#include "keeping/versions_strip.h"
#include "recipe/recipe_json.h"
#include "sets/sets_view.h"
#include "status_line.h"
#include "steps/finish_panel.h"
#include "steps/step_path.h"
#include "widgets/question.h"

#include <QApplication>
#include <QClipboard>
#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLocale>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSaveFile>
#include <QSettings>
#include <QStackedWidget>

namespace yolk::app {
namespace {

const QString kCopiedMime = QStringLiteral("application/x-yolk-settings");
constexpr qint64 kLargestSettings = 8 << 20; // bytes

/// "a.dng, b.dng and 3 more".
QString listed(const QStringList &names)
{
    constexpr qsizetype kMost = 4;
    QString out = names.mid(0, kMost).join(QStringLiteral(", "));
    if (names.size() > kMost)
        out = MainWindow::tr("%1 and %2 more").arg(out).arg(names.size() - kMost);
    return out;
}

/// "14:02:31" of today, else with the day.
QString momentText(const QDateTime &when)
{
    const bool today = when.date() == QDate::currentDate();
    return QLocale().toString(when, today ? QStringLiteral("HH:mm:ss") : QStringLiteral("d MMM yyyy, HH:mm"));
}

} // namespace

void MainWindow::makeKeepingCommands(QMenu *file, QMenu *edit, QMenu *view)
{
    needSet_ << addCommand(file, tr("Save s&ettings…"), {},
                           tr("Writes all settings to a file, for other pictures and for the command line."),
                           [this] { askAndSaveSettings(); });
    needSet_ << addCommand(file, tr("&Take settings from a file…"), {}, tr("Takes settings that were saved, or parts."),
                           [this] { askAndTakeSettings(); });
    needSet_ << addCommand(file, tr("&Keep the work elsewhere…"), QKeySequence(tr("Ctrl+Shift+S")),
                           tr("Keeps this work in another file from now on."), [this] { askAndKeepElsewhere(); });
    forSetsToo_ << addCommand(edit, tr("&Copy settings"), QKeySequence(tr("Ctrl+Shift+C")),
                              tr("Copies all settings of this picture."), [this] { copySettings(); });
    forSetsToo_ << addCommand(edit, tr("P&aste settings…"), QKeySequence(tr("Ctrl+Shift+V")),
                              tr("Takes settings that were copied, as a whole or by parts."),
                              [this] { pasteSettings(); });
    QMenu *rating = edit->addMenu(tr("&Rating"));
    for (int eggs = 0; eggs <= kBestRating; ++eggs)
        forSetsToo_ << addCommand(rating, eggs == 0 ? tr("&None") : tr("&%1").arg(eggs),
                                  QKeySequence(QStringLiteral("Ctrl+Alt+%1").arg(eggs)),
                                  tr("What you think of this picture, in eggs."), [this, eggs] {
                                      if (isInSets())
                                          Q_EMIT sets_->ratingAsked(sets_->grid()->selected(), eggs);
                                      else
                                          document_->setRating(eggs);
                                  });
    forSetsToo_ << addCommand(rating, tr("&Chosen"), QKeySequence(tr("Ctrl+Alt+C")),
                              tr("Marks this picture as one of those to be handed out, or no longer."), [this] {
                                  if (isInSets())
                                      chooseSets(sets_->grid()->selected());
                                  else
                                      document_->setChosen(!document_->isChosen());
                              });
    edit->addSeparator();
    addCommand(edit, tr("Pre&ferences…"), QKeySequence(tr("Ctrl+Shift+P")),
               tr("What belongs to you and this machine, not to a picture."), [this] { showPreferences(); });

    showEffects_ = addCommand(view, tr("Strip of &effects"), QKeySequence(tr("Shift+E")),
                              tr("In Finish, shows what the setting at hand does, from none to much."), [] {});
    showEffects_->setCheckable(true);
    showEffects_->setChecked(QSettings().value(QStringLiteral("effectStrip"), true).toBool());
    connect(showEffects_, &QAction::toggled, this, [this](bool on) {
        QSettings().setValue(QStringLiteral("effectStrip"), on);
        showEffects(finishPanel_->focusedSetting());
    });
    showVersions_ = addCommand(view, tr("Strip of &versions"), QKeySequence(tr("Shift+K")),
                               tr("Shows or hides the versions under the picture."), [] {});
    showVersions_->setCheckable(true);
    showVersions_->setChecked(QSettings().value(QStringLiteral("versionsStrip"), false).toBool());
    connect(showVersions_, &QAction::toggled, this, [this](bool on) {
        QSettings().setValue(QStringLiteral("versionsStrip"), on);
        refreshVersions();
    });
    const auto panel = [this, view](const QString &name, const QKeySequence &keys, const QString &help,
                                    QWidget *shown) {
        QAction *action = addCommand(view, name, keys, help, [this, shown] { showPanel(shown); });
        action->setCheckable(true);
        connect(panels_, &QStackedWidget::currentChanged, action,
                [this, action, shown] { action->setChecked(panels_->currentWidget() == shown); });
        needSet_ << action;
    };
    panel(tr("&Stages"), QKeySequence(tr("Shift+S")),
          tr("Lists all groups of settings in the order of work, to switch, weaken and name them."), stages_);
    panel(tr("What was &done"), QKeySequence(tr("Shift+U")), tr("Lists all that was done, to go back there."),
          historyPanel_);
}

/// In place of the step's own; the same command leads back.
void MainWindow::showPanel(QWidget *panel)
{
    if (panels_->currentWidget() == panel)
        return goTo(Step(path_->current()));
    endTasting();
    panels_->setCurrentWidget(panel);
    refreshShapes();
}

void MainWindow::refreshVersions()
{
    versionsStrip_->setVisible(showVersions_->isChecked() && document_->isOpen() && middle_->currentIndex() != 1);
}

void MainWindow::askForVersion()
{
    bool named = false;
    const QString proposed = tr("Version %1").arg(document_->versions().size() + 1);
    const QString name =
        QInputDialog::getText(this, tr("Keep a version"), tr("Its name"), QLineEdit::Normal, proposed, &named);
    if (named)
        document_->keepVersion(name.trimmed().isEmpty() ? proposed : name.trimmed());
}

void MainWindow::askAndCompareWithFile()
{
    const QString path =
        QFileDialog::getOpenFileName(this, tr("Compare with a picture"), document_->folder(), pictureFilter(false));
    if (!path.isEmpty())
        document_->compareWithFile(path);
}

// ---- copies of settings

void MainWindow::copyToClipboard(const CopiedSettings &copied)
{
    auto *mime = new QMimeData;
    mime->setData(kCopiedMime, QByteArray::fromStdString(copiedText(copied)));
    mime->setText(QString::fromStdString(recipeText(copied.settings)));
    QApplication::clipboard()->setMimeData(mime);
}

void MainWindow::copySettings()
{
    if (isInSets())
        return copySettingsOfCard();
    copyToClipboard(document_->copied());
    status_->say(tr("All settings are copied: paste them on another picture with Ctrl+Shift+V."));
}

void MainWindow::pasteSettings()
{
    const QByteArray text = QApplication::clipboard()->mimeData()->data(kCopiedMime);
    if (text.isEmpty())
        return status_->say(tr("No settings were copied yet: Ctrl+Shift+C does."));
    try {
        const CopiedSettings copied = parseCopied(text.toStdString());
        if (isInSets())
            pasteOnSets(copied);
        else
            takeSettings(copied);
    } catch (const ArgumentError &e) {
        Q_EMIT document_->failed(tr("What was copied cannot be pasted: %1.").arg(QString::fromUtf8(e.what())));
    }
}

void MainWindow::takeSettings(const CopiedSettings &copied)
{
    PasteDialog dialog(copied, this);
    if (dialog.exec() == QDialog::Accepted)
        document_->paste(copied, dialog.groups());
}

void MainWindow::askAndSaveSettings()
{
    const QString path = QFileDialog::getSaveFileName(
        this, tr("Save settings"), document_->proposedPath(tr("-settings.json")), tr("Settings (*.json)"));
    if (path.isEmpty())
        return;
    QSaveFile file(QFileInfo(path).suffix().isEmpty() ? path + QStringLiteral(".json") : path);
    const QByteArray text = QByteArray::fromStdString(recipeText(document_->recipe()));
    const bool written = file.open(QIODevice::WriteOnly) && file.write(text) == text.size() && file.commit();
    if (written)
        status_->say(tr("Saved %1").arg(QFileInfo(file.fileName()).fileName()));
    else
        Q_EMIT document_->failed(
            tr("%1: %2. The settings were not saved.").arg(QFileInfo(path).fileName(), file.errorString()));
}

void MainWindow::askAndTakeSettings()
{
    const QString path = QFileDialog::getOpenFileName(this, tr("Take settings from a file"), document_->folder(),
                                                      tr("Settings (*.json)"));
    if (path.isEmpty())
        return;
    try {
        QFile file(path);
        if (file.size() > kLargestSettings)
            throw ArgumentError("is larger than any settings");
        if (!file.open(QIODevice::ReadOnly))
            throw ArgumentError(file.errorString().toStdString());
        // Without the start that they are reckoned from they are taken as they are.
        takeSettings({parseRecipe(file.readAll().toStdString()).recipe, document_->copied().start});
    } catch (const ArgumentError &e) {
        Q_EMIT document_->failed(
            tr("%1: %2. Nothing was taken from it.").arg(QFileInfo(path).fileName(), QString::fromUtf8(e.what())));
    }
}

void MainWindow::showPreferences()
{
    PreferencesDialog({{tr("Theme"), themeMenu_}, {tr("Hatching"), overlayMenu_}, {tr("Monitor"), monitorMenu_}},
                      {showVersions_, showEffects_, showScale_}, this)
        .exec();
}

// ---- what was found

void MainWindow::offerMissing(const MissingFrames &missing)
{
    const auto again = [this, request = missing.request](WorkRequest::Missing then, const QStringList &alsoIn) {
        WorkRequest next = request;
        next.missing = then;
        next.alsoIn += alsoIn;
        document_->openWork(next);
    };
    QList<OfferStrip::Way> ways{
        {tr("Look in a folder…"), tr("Looks for them in a folder and those within, by their content."), [this, again] {
             const QString folder = QFileDialog::getExistingDirectory(this, tr("Where the frames are"));
             if (!folder.isEmpty())
                 again(WorkRequest::Missing::Ask, {folder});
         }}};
    if (missing.found > 0)
        ways << OfferStrip::Way{tr("Go on without"), tr("Opens the work with the frames that are here."),
                                [again] { again(WorkRequest::Missing::GoOn, {}); }};
    if (!missing.radiance.isEmpty())
        ways << OfferStrip::Way{
            tr("Go on from the radiance"),
            tr("Goes on from %1, which was saved from all of them.").arg(QFileInfo(missing.radiance).fileName()),
            [again] { again(WorkRequest::Missing::TakeRadiance, {}); }};
    const QString work = QFileInfo(missing.request.path).fileName();
    const QString what = missing.names.size() == 1
                             ? tr("A frame of %1 is missing: %2.").arg(work, listed(missing.names))
                             : tr("%1 frames of %2 are missing: %3.")
                                   .arg(QString::number(missing.names.size()), work, listed(missing.names));
    const QString here = missing.found == 0 ? tr("None of the others is there.")
                                            : tr("The others, %1, are there.").arg(countedFrames(missing.found));
    offers_->offer(what + QLatin1Char(' ') + here, ways, tr("Not now"));
}

void MainWindow::offerCutOff()
{
    for (const RecentWork &work : recentWork())
        if (!work.kept.isEmpty() && QFileInfo::exists(work.kept) && wasCutOff(work.kept))
            return offers_->offer(tr("Yolk ended without being closed. Your work on %1 is kept as of %2.")
                                      .arg(work.title, momentText(QFileInfo(work.kept).lastModified())),
                                  {{tr("Go on with it"), tr("Opens it as it was then."),
                                    [this, path = work.kept] { document_->openWork({path}); }}},
                                  tr("Not now"));
}

void MainWindow::workIsFound()
{
    const QString when = momentText(QFileInfo(document_->keptPath()).lastModified());
    status_->say(
        tr("Your work on these frames is here again, as of %1; Start again, in the Edit menu, begins anew.").arg(when));
    if (document_->isOldAnalysis())
        offers_->offer(
            tr("An earlier Yolk analysed these frames. Its numbers stay as they are; this one may find better "
               "ones."),
            {{tr("Analyse anew"), tr("Finds exposures, alignment and response again; settings stay."),
              [this] { document_->analyseAnew(); }}},
            tr("Leave it"));
}

// ---- closing

bool MainWindow::askAndKeepElsewhere()
{
    const QString proposed =
        document_->keptPath().isEmpty() ? document_->proposedPath(QStringLiteral(".yolk")) : document_->keptPath();
    QString path = QFileDialog::getSaveFileName(this, tr("Keep the work in"), proposed, tr("Work (*.yolk)"));
    if (path.isEmpty())
        return false;
    if (QFileInfo(path).suffix().isEmpty())
        path += QStringLiteral(".yolk");
    document_->keepAt(path);
    if (document_->unkept().isEmpty())
        status_->say(tr("Kept in %1").arg(QFileInfo(path).fileName()));
    return document_->unkept().isEmpty();
}

/// Asks once where something would be lost.
bool MainWindow::mayClose()
{
    enum { Lose, Stay };
    const auto closes = [this](const QString &text, const QString &more) {
        return ask(this, QMessageBox::Warning, text, more,
                   {{tr("Close"), QMessageBox::DestructiveRole}, {tr("Stay"), QMessageBox::RejectRole}}, Stay) == Lose;
    };
    if (sets_->run()->isRunning() && !closes(tr("A run over %1 sets is under way.").arg(sets_->run()->jobs().size()),
                                             tr("Closing ends it; when Yolk starts again it can be gone on with.")))
        return false;
    if (collection_->editsLeft() > 0 && !closes(tr("%1 sets are still to be changed.").arg(collection_->editsLeft()),
                                                tr("Closing leaves those as they were.")))
        return false;
    const Lane *exports = document_->lanes()[0];
    if (exports->busy() && !closes(tr("A file is not written yet: %1.").arg(exports->title()),
                                   tr("Closing ends that; the file will not be there. Your work is kept.")))
        return false;
    document_->keepNow();
    if (document_->unkept().isEmpty())
        return true;
    const QStringList changes = document_->unkeptChanges();
    const QString lost = changes.isEmpty() ? tr("what was changed last") : listed(changes);
    enum { LoseIt, Keep, Remain };
    const int answer = ask(this, QMessageBox::Warning,
                           tr("Your work on %1 could not be kept: %2.").arg(document_->title(), document_->unkept()),
                           tr("Closing loses: %1.").arg(lost),
                           {{tr("Close and lose it"), QMessageBox::DestructiveRole},
                            {tr("Keep it elsewhere…"), QMessageBox::ActionRole},
                            {tr("Stay"), QMessageBox::RejectRole}},
                           Remain);
    return answer == LoseIt || (answer == Keep && askAndKeepElsewhere());
}

} // namespace yolk::app
