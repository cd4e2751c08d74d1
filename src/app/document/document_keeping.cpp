// Keeping: what is written of the work, where, and when.
#include "document/document.h"

#include "document/recent_work.h"
#include "render/stages/merged_store.h"

#include <QDir>
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
    if (!saidWhere_ && QFileInfo(keptPath_).absolutePath() != folder())
        Q_EMIT remarked(tr("Your work is kept in your own data folder: nothing is written beside these frames."));
    saidWhere_ = true;
    if (!keepTimer_.isActive())
        keepTimer_.start(kSoon);
}

Project Document::project() const
{
    Project out = kept_;
    if (QFileInfo(keptPath_).absolutePath() != folder())
        out.folder = folder().toStdString();
    else
        out.folder.clear();
    out.history = history_;
    out.versions.clear();
    for (const Version &version : versions_)
        out.versions.push_back({version.name.toStdString(), version.recipe, version.unknown});
    out.measured = measured_;
    return out;
}

void Document::remember() const
{
    constexpr QSize kSmall(96, 64); // logical pixels, and room for screens of twice as many
    RecentWork work{title(), {}, QDateTime::currentDateTime(), keptPath_, {}};
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
    keepLane_.start<Kept>({}, work, [this, recipe = recipe()](Outcome<Kept> outcome) {
        if (outcome.result)
            isKept(recipe);
        else if (!outcome.error.isEmpty())
            isNotKept(outcome.error);
    });
}

void Document::keepNow()
{
    if (!keepTimer_.isActive() && !keepLane_.busy() && unkept_.isEmpty())
        return;
    keepTimer_.stop();
    keepLane_.discard(); // older than this
    const std::lock_guard lock(writing);
    remember();
    try {
        keepWork(keptPath_, project());
        isKept(recipe());
    } catch (const std::exception &e) { // also as the window closes, where nobody else would catch it
        isNotKept(QString::fromUtf8(e.what()));
    }
}

void Document::isKept(const Recipe &recipe)
{
    unkept_.clear();
    keptRecipe_ = recipe;
}

void Document::isNotKept(const QString &reason)
{
    unkept_ = reason;
    Q_EMIT failed(tr("Your work could not be kept: %1. It stays in the window.").arg(reason));
}

QStringList Document::unkeptChanges() const
{
    QStringList out;
    const std::span<const HistoryState> states = history_.statesSoFar();
    for (auto state = states.rbegin(); state != states.rend(); ++state) {
        if (keptRecipe_ && state->recipe == *keptRecipe_)
            break;
        if (const QString what = QString::fromStdString(state->what); !what.isEmpty() && !out.contains(what))
            out.prepend(what);
    }
    return out;
}

void Document::keepAt(const QString &path)
{
    if (!isOpen())
        return;
    keptPath_ = path;
    claim_ = claimWork(path);
    keepTimer_.start(0);
    keepNow();
}

void Document::storeMerge()
{
    if (!sources_.store || !fullMergeReady())
        return;
    const auto work = [sources = sources_, measured = *measured_, recipe = mergedRecipe_](ExecContext &ctx) {
        keepMerged(RenderPlan(sources, measured, recipe), ctx);
        return Kept{};
    };
    storeLane_.start<Kept>({}, work, [](const Outcome<Kept> &) {}); // a full disk costs only time later
}

} // namespace yolk::app
