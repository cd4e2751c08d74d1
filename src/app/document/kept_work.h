// Where the work on a set is kept: a project file beside its frames, or in the user's data folder where frames lie on
// something that is not to be written to.
#pragma once

#include "project/project.h"

#include <QLockFile>
#include <QString>
#include <QStringList>

#include <memory>
#include <optional>

namespace yolk::app {

/// Cards and shared demo frames are not written to.
bool takesFiles(const QString &folder);

struct KeptWork {
    QString path;                   ///< of the file; what is kept goes there
    std::optional<Project> project; ///< what it holds; none: there is no work on this set yet
    QString problem;                ///< of a file that could not be read; it stays as it is, and another one is begun
};

/// As a project names a frame. Asks for the size of its file.
ProjectFrame projectFrameOf(const Frame &frame);

/// The project in a file. Throws InputError.
Project readProject(const QString &path);

/// Of these frames, which lie in one folder; of several files on them the newest. Reads files; not for the window's thread.
KeptWork keptWorkOf(std::span<const FramePtr> frames);

/// Whether a file lies where the work on these frames would, of them or not: reads nothing.
bool mayHaveWork(const QStringList &frames);

/// Claims a file for as long as what is returned lives; null: another window has it, of this process or of any.
std::unique_ptr<QLockFile> claimWork(const QString &path);
/// The next path like it that no file has.
QString besideWork(const QString &path);
/// Whether a window that had this file ended without giving it back: it was killed, or the power failed. Says so once.
bool wasCutOff(const QString &path);

/// On the disk when it returns. Throws OutputError.
void keepWork(const QString &path, const Project &project);

} // namespace yolk::app
