// The picture on its way through another program and back.
#pragma once

#include "jobs/lane.h"
#include "recipe/recipe.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QProcess>

#include <optional>

namespace yolk::app {

class Document;

/// Writes the finished picture as 16-bit TIFF, or its light as OpenEXR, beside the frames and runs a command on it. When the
/// file is another one afterwards, it stands for what was handed over: a change of the recipe, and so a step of undo. It is
/// looked at when the command ends and whenever the file changes, as some programs start and return at once.
class HandOver : public QObject {
    Q_OBJECT
public:
    HandOver(Document *document, Handed what);
    ~HandOver() override;

    /// What is run: a program and its arguments, {file} for the path. Kept for the user.
    QString command() const;
    void setCommand(const QString &command);

    void start();  ///< also anew: what came back before is left out of what is handed over
    void remove(); ///< of what came back; the settings are seen again
    bool isUnderWay() const { return !seenId_.empty() && !isBack_; } ///< written, and nothing came back yet
    bool isBack() const;                                             ///< a returned file stands for ours
    bool isOutdated() const;                                         ///< and settings were changed since
    QString file() const; ///< name of what was handed over or came back; empty: nothing

Q_SIGNALS:
    void changed();
    void failed(const QString &message);

private:
    void run();   // it is written
    void begin(); // its id is known
    void look();
    void take(const ReturnedPicture &returned);
    const ReturnedPicture &returned() const;
    void forget();

    Document *document_;
    Handed what_;
    Lane lane_;
    QFileSystemWatcher watcher_;
    QTimer soon_;
    std::unique_ptr<QProcess> process_;
    QString file_;
    bool isBack_ = false;
    std::string seenId_; ///< of the file as it was handed over or taken back last
    std::optional<Recipe> handed_;
};

} // namespace yolk::app
