// Writing files: where they go, and what happens to those that are there already.
#include "main_window.h"

#include "canvas/offer_strip.h"
#include "document/export_shelf.h"
#include "document/hand_over.h"
#include "io/picture_formats.h"
#include "steps/export_panel.h"
#include "widgets/question.h"

#include <QApplication>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>

namespace yolk::app {
namespace {

/// "name 2.tif" and so on: the first that is free.
QString freePath(const QString &path)
{
    const QFileInfo info(path);
    const QString start = info.absolutePath() + QLatin1Char('/') + info.completeBaseName();
    for (int number = 2;; ++number)
        if (const QString next = QStringLiteral("%1 %2.%3").arg(start).arg(number).arg(info.suffix());
            !QFileInfo::exists(next))
            return next;
}

/// Each format with its suffixes, as file dialogs filter them.
QString filterOf(const FormatTraits &traits)
{
    QStringList patterns;
    for (const std::string &suffix : suffixesOf(traits.format))
        patterns << QLatin1Char('*') + QString::fromStdString(suffix);
    return QStringLiteral("%1 (%2)").arg(QString::fromUtf8(traits.name.data(), qsizetype(traits.name.size())),
                                         patterns.join(QLatin1Char(' ')));
}

} // namespace

void MainWindow::askAndExport()
{
    const PictureFormat format = document_->recipe().output.format;
    QStringList filters;
    for (const FormatTraits &traits : kPictureFormats)
        filters << filterOf(traits);
    QString chosen = filterOf(traitsOf(format)), proposed;
    try {
        proposed = document_->pathFor(document_->recipe().output);
    } catch (const Error &e) { // a field that there is not
        Q_EMIT document_->failed(QString::fromUtf8(e.what()));
        return;
    }
    QString path =
        QFileDialog::getSaveFileName(this, tr("Export picture"), proposed, filters.join(QStringLiteral(";;")), &chosen);
    if (path.isEmpty())
        return;
    if (QFileInfo(path).suffix().isEmpty())
        path += QString::fromStdString(
            suffixesOf(kPictureFormats[size_t(std::max(qsizetype(0), filters.indexOf(chosen)))].format).front());
    document_->exportPicture(path);
}

void MainWindow::exportTicked()
{
    struct File {
        QString path;
        Recipe recipe;
    };
    QList<File> files;
    QStringList taken;
    for (const ExportPreset &preset : exports_->ticked()) {
        Recipe recipe = document_->recipe();
        recipe.output = preset.settings;
        try {
            QString path = document_->pathFor(preset.settings, QString::fromStdString(preset.folder));
            const auto isOurs = [&](const File &file) { return file.path == path; };
            if (std::any_of(files.begin(), files.end(), isOurs)) // two presets of one pattern
                path = QFileInfo(path).absolutePath() + QLatin1Char('/') + QFileInfo(path).completeBaseName() +
                       QLatin1Char('-') + QString::fromStdString(preset.name).toLower() + QLatin1Char('.') +
                       QFileInfo(path).suffix();
            if (QFileInfo::exists(path))
                taken << QFileInfo(path).fileName();
            files.append({path, recipe});
        } catch (const Error &e) {
            Q_EMIT document_->failed(
                tr("%1: %2").arg(QString::fromStdString(preset.name), QString::fromUtf8(e.what())));
            return;
        }
    }
    if (files.isEmpty()) {
        Q_EMIT document_->failed(tr("No export preset is ticked: tick those that are to be written."));
        return;
    }
    if (!taken.isEmpty()) {
        enum { Both, Replace, Nothing };
        const int answer =
            ask(this, QMessageBox::Question, tr("There already: %1.").arg(taken.join(QStringLiteral(", "))), {},
                {{tr("Keep both")},
                 {tr("Replace"), QMessageBox::DestructiveRole},
                 {tr("Write nothing"), QMessageBox::RejectRole}},
                Both);
        if (answer == Nothing)
            return;
        if (answer == Both)
            for (File &file : files)
                if (QFileInfo::exists(file.path))
                    file.path = freePath(file.path);
    }
    for (const File &file : files)
        document_->exportRecipe(file.path, file.recipe);
}

void MainWindow::askAndKeepExportPreset()
{
    bool named = false;
    const QString name = QInputDialog::getText(this, tr("Keep as preset"), tr("Name of the export preset"),
                                               QLineEdit::Normal, {}, &named);
    if (!named || name.trimmed().isEmpty())
        return;
    enum { Beside, Folder, Nowhere };
    const int answer = ask(this, QMessageBox::Question, tr("Where do its files go?"), {},
                           {{tr("Beside the frames")},
                            {tr("Into a folder…"), QMessageBox::ActionRole},
                            {tr("Cancel"), QMessageBox::RejectRole}},
                           Beside);
    if (answer == Beside)
        exportPanel_->keepPreset(name);
    else if (answer == Folder)
        if (const QString path = QFileDialog::getExistingDirectory(this, tr("Folder of %1").arg(name)); !path.isEmpty())
            exportPanel_->keepPreset(name, path);
}

void MainWindow::askForExportProfile()
{
    const QString path = QFileDialog::getOpenFileName(this, tr("Choose a colour profile"), {},
                                                      tr("ICC profiles (*.icc *.icm);;All files (*)"));
    if (path.isEmpty())
        return;
    try {
        static_cast<void>(readTargetProfile(QFile::encodeName(path).toStdString()));
    } catch (const Error &e) {
        Q_EMIT document_->failed(QString::fromUtf8(e.what()));
        return;
    }
    Recipe next = document_->recipe();
    next.output.profile = QFile::encodeName(path).toStdString();
    document_->setRecipe(std::move(next), tr("profile"));
}

void MainWindow::askAndSaveRadiance()
{
    QString chosen;
    QString path = QFileDialog::getSaveFileName(
        this, tr("Save radiance"), document_->proposedPath(tr("-radiance.exr")),
        tr("OpenEXR (*.exr);;Radiance HDR (*.hdr);;TIFF, 32 bit (*.tif);;DNG (*.dng)"), &chosen);
    if (path.isEmpty())
        return;
    if (QFileInfo(path).suffix().isEmpty())
        path += chosen.contains(QStringLiteral("hdr"))   ? QStringLiteral(".hdr")
                : chosen.contains(QStringLiteral("tif")) ? QStringLiteral(".tif")
                : chosen.contains(QStringLiteral("dng")) ? QStringLiteral(".dng")
                                                         : QStringLiteral(".exr");
    document_->saveRadiance(path);
}

void MainWindow::offerToRenew()
{
    std::optional<Handed> outdated;
    for (const Handed what : {Handed::Picture, Handed::Light}) // the light last: what came later stands on it
        if (document_->handOver(what)->isOutdated())
            outdated = what;
    if (outdated == saidOutdated_)
        return;
    saidOutdated_ = outdated;
    if (!outdated)
        return offers_->withdraw();
    HandOver *hand = document_->handOver(*outdated);
    const bool isPicture = *outdated == Handed::Picture;
    offers_->offer((isPicture ? tr("The picture is %1 as it came back: what you change now is not seen.")
                              : tr("The light is %1 as it came back: what you change before tone is not seen."))
                       .arg(hand->file()),
                   {{tr("Renew"), tr("Hands it over once more, as it is now."), [hand] { hand->start(); }},
                    {tr("Remove"),
                     isPicture ? tr("Shows the picture of the settings again.") : tr("Shows the merged light again."),
                     [hand] { hand->remove(); }}},
                   tr("Leave it"));
}

void MainWindow::returnTo(const QString &file)
{
    const QString name = QFileInfo(file).fileName();
    waiting_->offer(tr("Another program waits for the finished picture: %1").arg(name),
                    {{tr("Done"), tr("Writes the finished picture to that file and closes the window."),
                      [this, file] {
                          connect(document_, &Document::kept, this, [file](const QString &path) {
                              if (path == file)
                                  QApplication::exit(0);
                          });
                          connect(document_, &Document::failed, this, [this, file] { returnTo(file); });
                          document_->exportPicture(file);
                      }}},
                    {});
}

} // namespace yolk::app
