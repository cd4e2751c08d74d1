// What was worked on last, for the empty window.
#pragma once

#include <QDateTime>
#include <QImage>
#include <QList>
#include <QStringList>

namespace yolk::app {

struct RecentWork {
    QString title;
    QStringList frames; ///< paths
    QDateTime when;
    QString kept;   ///< path of the file that holds it
    QImage picture; ///< small; may be null
};

/// The newest first; what was deleted since is left out. Reads the user's settings.
QList<RecentWork> recentWork();
void rememberWork(const RecentWork &work);

} // namespace yolk::app
