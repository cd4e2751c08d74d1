// How frames and the work on them come in.
#include "document/document.h"

#include "document/found_frames.h"
#include "document/merge_store.h"
#include "document/screen_picture.h"
#include "project/opened_set.h"
#include "render/stages/frame_stage.h"

#include <QFileInfo>
#include <QSignalBlocker>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr size_t kCacheBytes = size_t(4) << 30, kViewBytes = size_t(96) << 20;
constexpr int kThumbnailSide = 192; // 96 logical pixels on a screen of twice the density

std::vector<ProjectFrame> projectFrames(const std::vector<FramePtr> &frames)
{
    std::vector<ProjectFrame> out;
    for (const FramePtr &frame : frames)
        out.push_back(projectFrameOf(*frame));
    return out;
}

} // namespace

/// What is asked to be opened.
struct Document::Opening {
    QStringList paths;                  ///< of files, beside what follows
    std::vector<FramePtr> kept{};       ///< frames that are open
    std::optional<Measured> measured{}; ///< of those
    Recipe settings{};                  ///< by which they are measured
    bool keepsWork = false;
    std::optional<WorkRequest> work{}; ///< a project that brings its frames
    KnownSet known{};
};

void Document::open(const QStringList &paths, std::optional<Recipe> settings, const KnownSet &known)
{
    load({.paths = paths, .keepsWork = keepsWork_, .known = known}, std::move(settings));
}

void Document::openWork(const WorkRequest &request)
{
    load({.paths = {}, .keepsWork = keepsWork_, .work = request}, std::nullopt);
}

void Document::addFrames(const QStringList &paths)
{
    if (isOpen())
        load({.paths = paths,
              .kept = sources_.frames,
              .measured = measured_,
              .settings = recipe(),
              .keepsWork = keepsWork_},
             std::nullopt);
    else
        open(paths);
}

void Document::analyseAnew()
{
    if (isOpen())
        load({.paths = {},
              .kept = sources_.frames,
              .measured = measured_,
              .settings = recipe(),
              .keepsWork = keepsWork_},
             std::nullopt);
}

/// The work that a project file holds, and the paths of its frames. Empty where frames are missing that are not to be done
/// without, which is said in `out`.
bool Document::readWork(Opening &asked, Opened &out, ExecContext &ctx)
{
    const WorkRequest &request = *asked.work;
    out.work.path = request.path;
    try {
        out.work.project = readProject(request.path);
    } catch (const InputError &e) {
        throw Error(inputErrorText(e).toStdString());
    }
    const FoundFrames found = findFrames(*out.work.project, request.path, request.alsoIn, ctx);
    asked.paths = found.paths;
    if (found.missing.isEmpty())
        return true;
    if (request.missing == WorkRequest::Missing::Ask || (found.paths.isEmpty() && found.radiance.isEmpty())) {
        out.missing = {request, found.missing, found.paths.size(), found.radiance};
        return false;
    }
    if (request.missing == WorkRequest::Missing::TakeRadiance)
        asked.paths = {found.radiance};
    return true;
}

/// Where what was opened from a file is kept from now on: there, unless that is not to be written to, or other frames came.
void Document::placeWork(const WorkRequest &request, std::span<const FramePtr> frames, KeptWork &work)
{
    const bool radiance = request.missing == WorkRequest::Missing::TakeRadiance;
    if (!radiance && takesFiles(QFileInfo(request.path).absolutePath()))
        return;
    KeptWork place = keptWorkOf(frames);
    work.path = place.path;
    if (!radiance)
        return;
    if (place.project) { // it was begun before
        work.project = std::move(place.project);
        return;
    }
    // What was saved has its colours balanced already.
    work.project->history.amendAll([](Recipe &state) {
        state.white = {};
        state.lamp = {};
    });
}

Document::Opened Document::opened(Opening asked, ExecContext &ctx)
{
    Opened out;
    if (asked.work && !readWork(asked, out, ctx))
        return out;
    const bool isNew = asked.kept.empty();
    ExecContext loading = ctx.part(0.0, 0.3), measuring = ctx.part(0.3, 1.0);
    std::vector<std::string> paths;
    for (const QString &path : asked.paths)
        paths.push_back(QFile::encodeName(path).toStdString());
    std::vector<InputError> unusable;
    const std::vector<FramePtr> loaded = loadFrames(paths, unusable, loading);
    out.sources = {asked.kept, std::make_shared<StageCache>(kCacheBytes), true,
                   std::make_shared<StageCache>(kViewBytes), asked.keepsWork ? mergeStore() : nullptr};
    std::vector<FramePtr> &frames = out.sources.frames;
    QStringList twice;
    for (const FramePtr &frame : loaded) {
        const auto same = [&](const FramePtr &f) { return f->id == frame->id; };
        if (!frame)
            continue;
        if (asked.settings.frames.removed.contains(frame->id) && std::ranges::any_of(asked.kept, same))
            out.again.insert(frame->id); // it was taken out and comes back
        else if (std::ranges::any_of(frames, same))
            twice << QString::fromStdString(frame->name);
        else
            frames.push_back(frame);
    }
    if (frames.size() == asked.kept.size() && !out.again.empty())
        out.measured = asked.measured;
    if (isNew && asked.keepsWork && !asked.work && !frames.empty()) {
        out.work = keptWorkOf(frames);
        if (!out.work.problem.isEmpty())
            out.problems << out.work.problem;
    }
    if (asked.work && !frames.empty())
        placeWork(*asked.work, frames, out.work);
    if (out.work.project) {
        if (sortAsIn(*out.work.project, frames))
            out.measured = out.work.project->measured; // an older process gave these numbers: they stay until asked
    }
    if (isNew && !out.measured && asked.known.isOf(frames))
        out.measured = *asked.known.measured;
    const bool anew = !isNew && asked.paths.isEmpty();
    if (!out.measured && (anew || frames.size() > asked.kept.size())) {
        const std::vector<FramePtr> all = frames;
        out.measured = analyseUsable(out.sources, asked.settings, unusable, measuring);
        for (const FramePtr &frame : all)
            if (std::ranges::find(frames, frame) == frames.end())
                out.damaged.push_back(projectFrameOf(*frame));
    }
    for (const InputError &problem : unusable)
        out.problems << tr("%1. It was left out.").arg(inputErrorText(problem));
    if (twice.size() == 1)
        out.problems << tr("%1 is in the set already.").arg(twice.front());
    else if (twice.size() > 1)
        out.problems << tr("%1 and %2 more are in the set already.").arg(twice.front()).arg(twice.size() - 1);
    // The scale and the tone start of a picture stay what they were.
    const std::optional<Measured> &before =
        asked.measured || !out.work.project ? asked.measured : out.work.project->measured;
    if (out.measured && before) {
        out.measured->anchorExposure = before->anchorExposure;
        out.measured->tone = before->tone;
    }
    for (const FramePtr &frame : frames) // lens data are read before the window asks for them
        static_cast<void>(lensOf(*frame, {}));
    out.frames = projectFrames(frames);
    return out;
}

void Document::prepare(const QStringList &paths)
{
    if (paths == aheadPaths_)
        return;
    aheadPaths_ = paths;
    ahead_.reset();
    aheadLane_.discard();
    if (paths.isEmpty())
        return;
    const Opening asked{.paths = paths, .keepsWork = keepsWork_};
    const auto work = [asked](ExecContext &ctx) {
        ExecContext opening = ctx.part(0.0, 0.5), merging = ctx.part(0.5, 1.0);
        Ahead out{asked.paths, opened(asked, opening), {}};
        out.workKept = QFileInfo(out.opened.work.path).lastModified();
        if (const std::optional<Measured> &measured = out.opened.measured) {
            const Recipe recipe =
                out.opened.work.project ? out.opened.work.project->history.current() : automaticStart(*measured);
            const RenderPlan plan(out.opened.sources, *measured, inForce(recipe, *measured));
            static_cast<void>(mergedOf(plan, 1, merging)); // in its cache
        }
        return out;
    };
    aheadLane_.start<Ahead>({}, work, [this](Outcome<Ahead> outcome) {
        if (outcome.result)
            ahead_ = std::move(*outcome.result);
        else
            aheadPaths_.clear(); // what is wrong is said when it is opened
    });
}

/// Whether what is asked for stood ready.
bool Document::takeAhead(const Opening &asked, const std::optional<Recipe> &before)
{
    const bool isOurs = ahead_ && ahead_->paths == asked.paths && asked.kept.empty() && !asked.work &&
                        QFileInfo(ahead_->opened.work.path).lastModified() == ahead_->workKept;
    std::optional<Ahead> ahead = std::exchange(ahead_, std::nullopt);
    aheadPaths_.clear();
    aheadLane_.discard(); // the machine is for what was asked for
    if (!isOurs)
        return false;
    openLane_.discard();
    adopt(std::move(ahead->opened), false, before);
    return true;
}

void Document::load(Opening asked, std::optional<Recipe> before)
{
    asked.paths.removeDuplicates();
    keepNow();
    if (takeAhead(asked, before))
        return;
    const bool keepSettings = !asked.kept.empty();
    const QString title = asked.work              ? tr("Reading %1").arg(QFileInfo(asked.work->path).fileName())
                          : asked.paths.isEmpty() ? tr("Analysing %1").arg(countedFrames(qsizetype(asked.kept.size())))
                                                  : tr("Reading %1").arg(countedFrames(asked.paths.size()));
    auto work = [asked = std::move(asked)](ExecContext &ctx) { return opened(asked, ctx); };
    openLane_.start<Opened>(title, work, [this, keepSettings, before](Outcome<Opened> outcome) {
        if (outcome.result && outcome.result->missing)
            Q_EMIT framesMissing(*outcome.result->missing);
        else if (outcome.result)
            adopt(std::move(*outcome.result), keepSettings, before);
        else if (!outcome.cancelled)
            Q_EMIT failed(outcome.error);
    });
}

/// The work of a set of its own.
void Document::begin(KeptWork work, const std::optional<Recipe> &before)
{
    history_ = History(before ? *before : start());
    saidWhere_ = false;
    keptRecipe_.reset();
    versions_.clear();
    deletedVersions_.clear();
    claim_.reset();
    unkept_.clear();
    kept_ = Project();
    keptPath_ = keepsWork_ ? work.path : QString();
    if (!work.project)
        return;
    history_ = std::move(work.project->history);
    keptRecipe_ = recipe();
    for (ProjectVersion &version : work.project->versions)
        versions_ << Version{QString::fromStdString(version.name), std::move(version.recipe),
                             std::move(version.unknown)};
    kept_ = std::move(*work.project);
    kept_.missing.insert(kept_.missing.begin(), kept_.frames.begin(), kept_.frames.end()); // they may come back
    std::erase_if(kept_.missing, [this](const ProjectFrame &frame) {
        return std::ranges::any_of(sources_.frames, [&](const FramePtr &f) { return f->id == frame.id; });
    });
}

void Document::adopt(Opened opened, bool keepSettings, std::optional<Recipe> before)
{
    problems_ = opened.problems;
    const bool hadWork = opened.work.project.has_value();
    if (opened.measured) {
        onceShown_ = nullptr;
        discardViews();
        mergeLane_.discard();
        storeTimer_.stop();
        const size_t known = sources_.frames.size();
        sources_ = std::move(opened.sources);
        measured_ = std::move(opened.measured);
        automatic_ = automaticTone(measured_->tone);
        zoneEvs_ = zoneEvs(measured_->tone);
        if (!keepSettings) {
            begin(std::move(opened.work), before);
            thumbnails_.clear();
            versionPictures_.clear();
            lookedAt_.clear();
            inspection_.reset();
            pins_.clear();
            pointer_.reset();
        } else {
            // Adding is an edit: all states before it are without the new frames.
            Recipe with = recipe();
            for (const std::string &id : opened.again)
                with.frames.removed.erase(id);
            std::set<std::string> added;
            for (size_t i = known; i < sources_.frames.size(); ++i)
                added.insert(sources_.frames[i]->id);
            history_.amendAll([&](Recipe &state) { state.frames.removed.insert(added.begin(), added.end()); });
            history_.push(std::move(with),
                          tr("add %1").arg(countedFrames(qsizetype(added.size() + opened.again.size()))).toStdString());
        }
        kept_.frames = std::move(opened.frames);
        for (const ProjectFrame &frame : opened.damaged)
            addMissing(kept_, frame);
        if (keepSettings)
            changed();
        merged_.reset();
        mergedIsCurrent_ = false;
        isDraft_ = true;
        histogram_.reset();
        view_.reset();
        overview_ = {};
        outputHistogram_.reset();
        summaryOf_.reset();
        comparing_.reset();
        comparedInFull_.reset();
        other_.reset();
        {
            const QSignalBlocker untold(comparison_); // until the new set stands
            comparison_->reset();
        }
        arrange();
        curve_.emplace(inForce(recipe(), *measured_).tone, measured_->tone);
        Q_EMIT setChanged();
        Q_EMIT bracketChanged();
        Q_EMIT areaChanged();
        Q_EMIT recipeChanged();
        Q_EMIT lookChanged();
        Q_EMIT readingsChanged();
        Q_EMIT versionsChanged();
        Q_EMIT ratingChanged();
        if (hadWork && !keepSettings)
            Q_EMIT workFound();
        loadThumbnails();
        startMerge();
    }
    Q_EMIT problemsChanged();
}

void Document::dismissProblems()
{
    problems_.clear();
    Q_EMIT problemsChanged();
}

void Document::loadThumbnails()
{
    using Pictures = QHash<QString, QImage>;
    auto work = [sources = sources_](ExecContext &ctx) {
        Pictures out;
        for (const FramePtr &frame : sources.frames) {
            if (frame->isRadiance()) {
                out.insert(QString::fromStdString(frame->id), frameThumbnail(*frame, kThumbnailSide, ctx));
                continue;
            }
            // Decoded already, to be measured.
            const DecodedPtr codes = decoded(sources, *frame, measuringReduction(*frame), ctx);
            out.insert(QString::fromStdString(frame->id), frameThumbnail(*frame, codes->view(), kThumbnailSide, ctx));
        }
        return out;
    };
    thumbnailLane_.start<Pictures>({}, work, [this](Outcome<Pictures> outcome) {
        if (!outcome.result)
            return;
        thumbnails_ = std::move(*outcome.result);
        Q_EMIT thumbnailsChanged();
    });
}

} // namespace yolk::app
