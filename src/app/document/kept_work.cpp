#include "document/kept_work.h"

#include "base/hash.h"
#include "document/demo_sets.h"
#include "io/atomic_file.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>

#include <algorithm>
#include <fstream>

namespace yolk::app {
namespace {

constexpr qint64 kLargest = qint64(64) << 20;

QString words(const char *text)
{
    return QCoreApplication::translate("KeptWork", text);
}

/// Cards and shared demo frames are not written to.
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

/// Without the number: "base.yolk", "base-2.yolk", ...
QString basePath(const QString &folder, const QString &stem, bool beside)
{
    if (beside)
        return folder + QLatin1Char('/') + stem;
    Hasher hasher;
    hasher.text(folder.toStdString());
    const QString data = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/work");
    return QStringLiteral("%1/%2-%3").arg(data, stem, QString::number(hasher.finish().high, 16));
}

/// The project in a file. Throws ArgumentError.
Project read(const QString &path)
{
    QFile file(path);
    if (file.size() > kLargest)
        throw ArgumentError("is larger than any project");
    if (!file.open(QIODevice::ReadOnly))
        throw ArgumentError(file.errorString().toStdString());
    return parseProject(file.readAll().toStdString());
}

} // namespace

KeptWork keptWorkOf(std::span<const FramePtr> frames)
{
    const auto first = std::ranges::min_element(frames, {}, [](const FramePtr &f) { return f->name; });
    const QFileInfo info(QFile::decodeName((*first)->path.c_str()));
    const QString folder = info.absolutePath();
    const bool takes = takesFiles(folder);
    KeptWork out;
    for (const bool beside : {takes, !takes}) {
        const QString base = basePath(folder, info.completeBaseName(), beside);
        for (int number = 1;; ++number) {
            const QString path =
                base + (number > 1 ? QStringLiteral("-%1").arg(number) : QString()) + QStringLiteral(".yolk");
            if (!QFileInfo::exists(path)) {
                if (out.path.isEmpty()) // the first place that is free, where this set's is to lie
                    out.path = path;
                break;
            }
            try {
                Project project = read(path);
                if (isOf(project, frames))
                    return {path, std::move(project), out.problem};
            } catch (const ArgumentError &e) {
                out.problem = words("%1: %2. Its work was not opened, and the file stays as it is.")
                                  .arg(QFileInfo(path).fileName(), QString::fromUtf8(e.what()));
            }
        }
    }
    return out;
}

void keepWork(const QString &path, const Project &project)
{
    QDir().mkpath(QFileInfo(path).absolutePath());
    const std::string text = projectText(project);
    writeAtomically(QFile::encodeName(path).toStdString(), [&](const std::string &temporary) {
        std::ofstream file(temporary, std::ios::binary | std::ios::trunc);
        file << text;
        file.flush();
        if (!file)
            throw OutputError(temporary, "cannot be written: is the disk full?");
    });
}

} // namespace yolk::app
