#include "document/found_frames.h"

#include "base/errors.h"
#include "base/hash.h"

#include <QDir>
#include <QDirIterator>
#include <QFile>
#include <QFileInfo>
#include <QHash>

namespace yolk::app {
namespace {

constexpr int kMostFiles = 5000; // that are looked at: a folder may be a whole disk

/// Content ids of files, each read once.
class Contents {
public:
    explicit Contents(ExecContext &ctx) : ctx_(ctx) {}
    bool is(const QString &path, const ProjectFrame &frame)
    {
        if (frame.bytes > 0 && uint64_t(QFileInfo(path).size()) != frame.bytes)
            return false;
        if (!known_.contains(path)) {
            ctx_.throwIfStopped();
            try {
                known_.insert(path, hashFile(QFile::encodeName(path).toStdString()).hex());
            } catch (const InputError &) {
                known_.insert(path, {}); // cannot be read: it is none of them
            }
        }
        return known_[path] == frame.id;
    }

private:
    ExecContext &ctx_;
    QHash<QString, std::string> known_;
};

QStringList filesUnder(const QStringList &folders)
{
    QStringList out;
    for (const QString &folder : folders)
        for (QDirIterator files(folder, QDir::Files, QDirIterator::Subdirectories);
             files.hasNext() && out.size() < kMostFiles;)
            out << files.next();
    return out;
}

} // namespace

FoundFrames findFrames(const Project &project, const QString &projectPath, const QStringList &alsoIn, ExecContext &ctx)
{
    const QString beside = QFileInfo(projectPath).absolutePath();
    QStringList folders{beside};
    if (!project.folder.empty())
        folders.prepend(QString::fromStdString(project.folder));
    Contents contents(ctx);
    FoundFrames out;
    QStringList files; // looked for only where a name does not do
    for (const ProjectFrame &frame : project.frames) {
        const QString name = QFile::decodeName(frame.name.c_str());
        QString found;
        for (const QString &folder : folders)
            if (const QString path = QDir(folder).filePath(name);
                found.isEmpty() && QFileInfo(path).isFile() && contents.is(path, frame))
                found = path;
        if (found.isEmpty() && files.isEmpty())
            files = filesUnder(folders + alsoIn);
        for (const QString &path : files)
            if (found.isEmpty() && contents.is(path, frame))
                found = path;
        if (found.isEmpty())
            out.missing << name;
        else
            out.paths << found;
    }
    for (const QString &folder : folders + alsoIn)
        if (const QString path = QDir(folder).filePath(QString::fromStdString(project.radiance));
            !project.radiance.empty() && QFileInfo(path).isFile())
            out.radiance = path;
    return out;
}

} // namespace yolk::app
