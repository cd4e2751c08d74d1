// What is kept of the work, and when.
#include "document/document.h"

#include "document/recent_work.h"

#include <QFileInfo>

#include <mutex>

namespace yolk::app {
namespace {

struct Kept {};

std::mutex writing; // an older state must not come after a newer one

} // namespace

void Document::changed()
{
    constexpr int kSoon = 1000; // milliseconds: no more than two seconds of work are lost, whatever happens
    if (keptPath_.isEmpty())
        return;
    if (!claim_ && !(claim_ = claimWork(keptPath_))) { // at the first change: looking claims nothing
        keptPath_ = besideWork(keptPath_);
        claim_ = claimWork(keptPath_);
        Q_EMIT failed(tr("These frames are open in another window too: what you change here is kept apart, in %1.")
                          .arg(QFileInfo(keptPath_).fileName()));
    }
    if (!keepTimer_.isActive())
        keepTimer_.start(kSoon);
}

Project Document::project() const
{
    Project out;
    if (QFileInfo(keptPath_).absolutePath() != folder())
        out.folder = folder().toStdString();
    for (const FramePtr &frame : sources_.frames)
        out.frames.push_back({frame->name, frame->id});
    out.history = history_;
    for (const Version &version : versions_)
        out.versions.push_back({version.name.toStdString(), version.recipe});
    out.measured = measured_;
    out.unknown = keptUnknown_.toStdString();
    return out;
}

void Document::remember() const
{
    constexpr QSize kSmall(96, 64); // logical pixels, and room for screens of twice as many
    RecentWork work{title(), {}, QDateTime::currentDateTime(), {}};
    if (!overview_.image.isNull())
        work.picture = overview_.image.scaled(2 * kSmall, Qt::KeepAspectRatio, Qt::SmoothTransformation);
    for (const FramePtr &frame : sources_.frames)
        work.frames << QFile::decodeName(frame->path.c_str());
    rememberWork(work);
}

void Document::keep()
{
    remember();
    const auto work = [path = keptPath_, project = project()](ExecContext &ctx) {
        const std::lock_guard lock(writing);
        ctx.throwIfStopped();
        keepWork(path, project);
        return Kept{};
    };
    keepLane_.start<Kept>({}, work, [this](Outcome<Kept> outcome) {
        if (!outcome.error.isEmpty())
            Q_EMIT failed(notKept(outcome.error));
    });
}

void Document::keepNow()
{
    if (!keepTimer_.isActive() && !keepLane_.busy())
        return;
    keepTimer_.stop();
    keepLane_.discard(); // older than this
    const std::lock_guard lock(writing);
    remember();
    try {
        keepWork(keptPath_, project());
    } catch (const std::exception &e) { // also as the window closes, where nobody else would catch it
        Q_EMIT failed(notKept(QString::fromUtf8(e.what())));
    }
}

QString Document::notKept(const QString &reason)
{
    return tr("Your work could not be kept: %1. It stays in the window.").arg(reason);
}

} // namespace yolk::app
