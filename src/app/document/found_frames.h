// The frames of a project, wherever they lie now.
#pragma once

#include "base/exec_context.h"
#include "project/project.h"

#include <QString>
#include <QStringList>

namespace yolk::app {

struct FoundFrames {
    QStringList paths;   ///< of those that were found, in the order of the project
    QStringList missing; ///< names of the others
    QString radiance;    ///< the file that the merge was saved to, where it is still there
};

/// Beside the project or in the folder that it names, by name and content; else by content alone, there, in the folders
/// within, and in those of `alsoIn`. Files of another size are not read. Throws Cancelled; reads files: not for the
/// window's thread.
FoundFrames findFrames(const Project &project, const QString &projectPath, const QStringList &alsoIn, ExecContext &ctx);

} // namespace yolk::app
