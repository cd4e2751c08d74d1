#include "document/kept_work.h"

#include "base/hash.h"
#include "document/demo_sets.h"
#include "document/error_text.h"
#include "io/atomic_file.h"
#include "project/work_files.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>

#include <algorithm>
#include <array>

namespace yolk::app {
namespace {

QString words(const char *text)
{
    return QCoreApplication::translate("KeptWork", text);
}

QString dataFolder()
{
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/work");
}

QString hashOf(const QString &text)
{
    Hasher hasher;
    hasher.text(text.toStdString());
    return QString::number(hasher.finish().high, 16);
}

QString fileOfWork(const QString &base, int number)
{
    return QFile::decodeName(workFile(QFile::encodeName(base).toStdString(), number).c_str());
}

/// Without the number.
QString basePath(const QString &folder, const QString &stem, bool beside)
{
    if (beside)
        return folder + QLatin1Char('/') + stem;
    return QStringLiteral("%1/%2-%3").arg(dataFolder(), stem, hashOf(folder));
}

QString lockOf(const QString &path)
{
    return QStringLiteral("%1/locks/%2.lock").arg(dataFolder(), hashOf(path));
}

} // namespace

bool takesFiles(const QString &folder)
{
    for (const char *removable : {"/media/", "/run/media/", "/mnt/"})
        if (folder.startsWith(QLatin1String(removable)))
            return false;
    for (const DemoSet &set : demoSets())
        if (!set.frames.isEmpty() && QFileInfo(set.frames.front()).absolutePath() == folder)
            return false;
    return QFileInfo(folder).isWritable();
}

ProjectFrame projectFrameOf(const Frame &frame)
{
    return {frame.name, frame.id, uint64_t(QFileInfo(QFile::decodeName(frame.path.c_str())).size())};
}

Project readProject(const QString &path)
{
    return loadProject(QFile::encodeName(path).toStdString());
}

KeptWork keptWorkOf(std::span<const FramePtr> frames)
{
    const auto first = std::ranges::min_element(frames, {}, [](const FramePtr &f) { return f->name; });
    const QFileInfo info(QFile::decodeName((*first)->path.c_str()));
    const QString folder = info.absolutePath();
    const bool takes = takesFiles(folder);
    KeptWork out;
    QString free; // the first place where this set's file may lie
    QDateTime newest;
    for (const bool beside : {takes, !takes}) {
        const QString base = basePath(folder, info.completeBaseName(), beside);
        for (int number = 1;; ++number) {
            const QString path = fileOfWork(base, number);
            if (!QFileInfo::exists(path)) {
                if (free.isEmpty())
                    free = path;
                break;
            }
            try {
                Project project = readProject(path);
                const QDateTime when = QFileInfo(path).lastModified();
                if (!isOf(project, frames) || (newest.isValid() && when <= newest))
                    continue;
                newest = when;
                out.path = path;
                out.project = std::move(project);
            } catch (const InputError &e) {
                out.problem = words("%1. Its work was not opened, and the file stays as it is.").arg(inputErrorText(e));
            }
        }
    }
    if (out.path.isEmpty())
        out.path = free;
    return out;
}

bool mayHaveWork(const QStringList &frames)
{
    const QFileInfo first(*std::ranges::min_element(
        frames, {}, [](const QString &path) { return QFile::encodeName(QFileInfo(path).fileName()); }));
    return std::ranges::any_of(std::array{true, false}, [&](bool beside) {
        return QFileInfo::exists(fileOfWork(basePath(first.absolutePath(), first.completeBaseName(), beside), 1));
    });
}

std::unique_ptr<QLockFile> claimWork(const QString &path)
{
    const QString file = lockOf(path);
    QDir().mkpath(QFileInfo(file).absolutePath());
    auto lock = std::make_unique<QLockFile>(file);
    lock->setStaleLockTime(0); // only a process that is gone gives it back
    if (lock->tryLock(0) || lock->error() != QLockFile::LockFailedError)
        return lock; // where no claims can be made, nobody is kept from working
    return nullptr;
}

bool wasCutOff(const QString &path)
{
    return QFileInfo::exists(lockOf(path)) && claimWork(path); // a lock that lives cannot be claimed
}

QString besideWork(const QString &path)
{
    const QString base = path.first(path.size() - qsizetype(qstrlen(".yolk")));
    for (int number = 2;; ++number)
        if (const QString other = fileOfWork(base, number); !QFileInfo::exists(other))
            return other;
}

void keepWork(const QString &path, const Project &project)
{
    QDir().mkpath(QFileInfo(path).absolutePath());
    writeTextAtomically(QFile::encodeName(path).toStdString(), projectText(project));
}

} // namespace yolk::app
