#include "document/document.h"

#include "document/screen_picture.h"
#include "recipe/sections.h"
#include "render/files/output.h"
#include "render/files/radiance_export.h"
#include "render/stages/frame_stage.h"

#include <QDir>
#include <QFileInfo>
#include <QSignalBlocker>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr size_t kCacheBytes = size_t(4) << 30, kViewBytes = size_t(96) << 20;
constexpr int kThumbnailSide = 192; // 96 logical pixels on a screen of twice the density

} // namespace

QString inputErrorText(const InputError &error)
{
    const QString text = QString::fromStdString(error.what()), path = QString::fromStdString(error.file());
    return text.startsWith(path) ? QFileInfo(path).fileName() + text.mid(path.size()) : text;
}

QString countedFrames(qsizetype count)
{
    return count == 1 ? Document::tr("1 frame") : Document::tr("%1 frames").arg(count);
}

Document::Document(QObject *parent)
    : QObject(parent), comparison_(new Comparison(this)), viewLane_(Lane::Policy::FinishRunning, this),
      exactLane_(Lane::Policy::CancelRunning, this), openLane_(Lane::Policy::CancelRunning, this),
      mergeLane_(Lane::Policy::CancelRunning, this), exportLane_(Lane::Policy::Queue, this),
      compareLane_(Lane::Policy::CancelRunning, this), thumbnailLane_(Lane::Policy::CancelRunning, this),
      histogramLane_(Lane::Policy::CancelRunning, this), pickLane_(Lane::Policy::CancelRunning, this),
      summaryLane_(Lane::Policy::FinishRunning, this), loupeLane_(Lane::Policy::FinishRunning, this),
      readLane_(Lane::Policy::FinishRunning, this), tasteLane_(Lane::Policy::CancelRunning, this),
      keepLane_(Lane::Policy::Queue, this), lanes_{&exportLane_, &openLane_, &mergeLane_, &viewLane_, &compareLane_}
{
    endsTimer_.setSingleShot(true);
    connect(&endsTimer_, &QTimer::timeout, this, [this] {
        Q_EMIT lookChanged();
        renderView();
    });
    keepTimer_.setSingleShot(true);
    connect(&keepTimer_, &QTimer::timeout, this, &Document::keep);
    exactTimer_.setSingleShot(true);
    connect(&exactTimer_, &QTimer::timeout, this, &Document::renderExactly);
    connect(comparison_, &Comparison::changed, this, [this] { // the canvas asks anew: its panes may be others
        discardViews();
        Q_EMIT lookChanged();
    });
    for (Lane *lane : lanes_)
        connect(lane, &Lane::changed, this, &Document::jobsChanged);
}

Document::~Document()
{
    keepNow();
}

void Document::open(const QStringList &paths, std::optional<Recipe> settings)
{
    load(paths, {}, std::nullopt, std::move(settings));
}

void Document::addFrames(const QStringList &paths)
{
    if (isOpen())
        load(paths, sources_.frames, measured_, std::nullopt);
    else
        open(paths);
}

void Document::load(QStringList paths, std::vector<FramePtr> kept, std::optional<Measured> keptMeasured,
                    std::optional<Recipe> before)
{
    paths.removeDuplicates();
    const Recipe settings = keptMeasured ? recipe() : Recipe();
    keepNow();
    auto work = [paths, kept, keptMeasured, settings, keepsWork = keepsWork_](ExecContext &ctx) {
        Opened out;
        std::vector<FramePtr> loaded(size_t(paths.size()));
        std::vector<QString> errors(loaded.size());
        ExecContext loading = ctx.part(0.0, 0.3), measuring = ctx.part(0.3, 1.0);
        forEachPart(loading, int(paths.size()), [&](int i, ExecContext &) {
            try {
                loaded[size_t(i)] = loadFrame(QFile::encodeName(paths[i]).toStdString());
            } catch (const InputError &e) {
                errors[size_t(i)] = inputErrorText(e);
            }
        });
        out.sources = {kept, std::make_shared<StageCache>(kCacheBytes), true, std::make_shared<StageCache>(kViewBytes)};
        QStringList twice;
        for (size_t i = 0; i < loaded.size(); ++i) {
            const auto same = [&](const FramePtr &f) { return f->id == loaded[i]->id; };
            if (!loaded[i])
                out.problems << tr("%1. It was left out.").arg(errors[i]);
            else if (settings.frames.removed.contains(loaded[i]->id) && std::ranges::any_of(kept, same))
                out.again.insert(loaded[i]->id); // it was taken out and comes back
            else if (std::ranges::any_of(out.sources.frames, same))
                twice << QString::fromStdString(loaded[i]->name);
            else
                out.sources.frames.push_back(loaded[i]);
        }
        if (out.sources.frames.size() == kept.size() && !out.again.empty())
            out.measured = keptMeasured;
        if (!keptMeasured && keepsWork && !out.sources.frames.empty()) {
            out.work = keptWorkOf(out.sources.frames);
            if (!out.work.problem.isEmpty())
                out.problems << out.work.problem;
            if (out.work.project) {
                const std::vector<ProjectFrame> &order = out.work.project->frames;
                const auto placeOf = [&](const FramePtr &f) {
                    return std::ranges::find(order, f->id, &ProjectFrame::id);
                };
                std::ranges::stable_sort(out.sources.frames, {}, placeOf);
                // What an older process measured gives its own picture: it is found anew, the settings stay.
                if (out.work.project->measured && out.work.project->measured->processVersion == kProcessVersion)
                    out.measured = out.work.project->measured;
            }
        }
        while (out.sources.frames.size() > kept.size() && !out.measured) {
            try {
                out.measured = analyse(out.sources, settings, measuring);
            } catch (const InputError &e) { // a cut file shows only when its pixels are read
                const auto damaged =
                    std::erase_if(out.sources.frames, [&](const FramePtr &f) { return f->path == e.file(); });
                if (damaged == 0)
                    throw;
                out.problems << tr("%1. It was left out.").arg(inputErrorText(e));
            }
        }
        if (twice.size() == 1)
            out.problems << tr("%1 is in the set already.").arg(twice.front());
        else if (twice.size() > 1)
            out.problems << tr("%1 and %2 more are in the set already.").arg(twice.front()).arg(twice.size() - 1);
        if (out.measured) {
            if (keptMeasured) { // the scale and the tone start of the picture stay what they were
                out.measured->anchorExposure = keptMeasured->anchorExposure;
                out.measured->tone = keptMeasured->tone;
            }
        }
        return out;
    };
    openLane_.start<Opened>(tr("Reading %1").arg(countedFrames(paths.size())), work,
                            [this, keep = keptMeasured.has_value(), before](Outcome<Opened> outcome) {
                                if (outcome.result)
                                    adopt(std::move(*outcome.result), keep, before);
                                else if (!outcome.cancelled)
                                    Q_EMIT failed(outcome.error);
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
        const size_t known = sources_.frames.size();
        sources_ = std::move(opened.sources);
        measured_ = std::move(opened.measured);
        automatic_ = automaticTone(measured_->tone);
        zoneEvs_ = zoneEvs(measured_->tone);
        if (!keepSettings) {
            Recipe start;
            start.tone = automatic_;
            history_ = History(before ? *before : start);
            keptPath_ = opened.work.path;
            claim_.reset();
            keptUnknown_.clear();
            thumbnails_.clear();
            lookedAt_.clear();
            inspection_.reset();
            versions_.clear();
            if (opened.work.project) {
                history_ = std::move(opened.work.project->history);
                for (const ProjectVersion &version : opened.work.project->versions)
                    versions_ << Version{QString::fromStdString(version.name), version.recipe};
                keptUnknown_ = QString::fromStdString(opened.work.project->unknown);
            }
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
        {
            const QSignalBlocker untold(comparison_); // until the new set stands
            comparison_->reset();
        }
        arrange();
        curve_.emplace(recipe().tone, measured_->tone);
        Q_EMIT setChanged();
        Q_EMIT bracketChanged();
        Q_EMIT recipeChanged();
        Q_EMIT lookChanged();
        Q_EMIT readingsChanged();
        Q_EMIT versionsChanged();
        if (hadWork)
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
        for (const FramePtr &frame : sources.frames) { // decoded already, to be measured
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

QString Document::title() const
{
    if (!isOpen())
        return {};
    const QString folderName = QFileInfo(folder()).fileName();
    return tr("%1, %2").arg(folderName, countedFrames(qsizetype(bracket_->frames.size())));
}

QString Document::folder() const
{
    return isOpen() ? QFileInfo(QString::fromStdString(sources_.frames.front()->path)).absolutePath() : QString();
}

QSize Document::pictureSize() const
{
    if (!isOpen())
        return {};
    const Frame &frame = *bracket_->frames[bracket_->reference].frame;
    return {frame.width, frame.height};
}

void Document::setRecipe(Recipe recipe, const QString &what, const QString &gesture)
{
    static_cast<void>(bracketOf(sources_, *measured_, recipe)); // what cannot be, throws before the history has it
    const ToneSettings &now = this->recipe().tone;
    if (!gesture.isEmpty() && (recipe.tone.whites != now.whites || recipe.tone.blacks != now.blacks))
        showEndsBriefly();
    if (history_.push(std::move(recipe), what.toStdString(), gesture.toStdString()))
        recipeIsNew();
}

void Document::undo()
{
    if (!canUndo())
        return;
    history_.undo();
    recipeIsNew();
}

void Document::redo()
{
    if (!canRedo())
        return;
    history_.redo();
    recipeIsNew();
}

void Document::recipeIsNew()
{
    reach_.reset();
    curve_.emplace(recipe().tone, measured_->tone);
    const bool mergeChanged = !areSameUpTo(Stage::Merge, recipe(), mergedRecipe_);
    // Where the frames lie and how they count.
    const bool framesChanged =
        !areSameUpTo(Stage::Align, recipe(), mergedRecipe_) || recipe().frames != mergedRecipe_.frames;
    const bool cropChanged = !areSameAt(Stage::Geometry, recipe(), mergedRecipe_);
    const bool whiteChanged =
        !areSameAt(Stage::Scene, recipe(), mergedRecipe_) || recipe().groups != mergedRecipe_.groups;
    if (framesChanged || cropChanged) {
        mergedRecipe_.geometry = recipe().geometry;
        arrange();
        Q_EMIT bracketChanged();
    }
    changed();
    Q_EMIT recipeChanged();
    if (mergeChanged) {
        isDraft_ = false;
        onceShown_ = nullptr; // another merge follows
        discardViews();
        startMerge();
    } else if (whiteChanged) {
        mergedRecipe_.white = recipe().white;
        mergedRecipe_.lamp = recipe().lamp;
        mergedRecipe_.groups = recipe().groups;
        findHistogram();
    }
    renderView();
}

void Document::startMerge()
{
    // What the light scale and the pointer read: first from the reduced decode, which the first picture needs anyway,
    // then from the full one.
    struct Step {
        MergedPtr merged;
        SceneLight light;
    };
    mergedRecipe_ = recipe();
    mergedIsCurrent_ = false;
    onceShown_ = nullptr;
    histogramLane_.discard();
    const auto mergeAt = [sources = sources_, measured = *measured_](int reduction, const Recipe &settings) {
        return [=](ExecContext &ctx) {
            MergedPtr merged = mergedOf(RenderPlan(sources, measured, settings), reduction, ctx);
            ExecContext rest = ctx.child({});
            return Step{merged, sceneLightOf(sources, measured, settings, rest)};
        };
    };
    const auto take = [this](Outcome<Step> &outcome) {
        if (!outcome.error.isEmpty())
            Q_EMIT failed(outcome.error);
        if (outcome.cancelled)
            Q_EMIT mergedChanged(); // what stays is the one before
        if (!outcome.result)
            return false;
        merged_ = outcome.result->merged;
        mergedIsCurrent_ = true;
        takeLight(outcome.result->light);
        Q_EMIT mergedChanged();
        return true;
    };
    const int preview = previewReduction(sources_);
    const auto full = [this, mergeAt, take, count = qsizetype(bracket_->used().size())] {
        mergeLane_.start<Step>(tr("Full merge of %1").arg(countedFrames(count)), mergeAt(1, mergedRecipe_),
                               [this, take](Outcome<Step> outcome) {
                                   isDraft_ = isDraft_ && !outcome.result;
                                   if (take(outcome))
                                       renderView(); // the same view again, from all pixels
                               });
    };
    if (preview == 1)
        return full();
    mergeLane_.start<Step>(tr("First picture"), mergeAt(preview, recipeOnCanvas()),
                           [this, take, full](Outcome<Step> outcome) {
                               if (!take(outcome))
                                   return;
                               if (viewLane_.busy()) // it gets the whole machine
                                   onceShown_ = full;
                               else
                                   full();
                           });
}

Recipe Document::recipeOnCanvas() const
{
    Recipe out = recipe();
    if (isDraft_)
        out.align.local = AlignMode::Off;
    return out;
}

Document::SceneLight Document::sceneLightOf(const Sources &sources, const Measured &measured, const Recipe &settings,
                                            ExecContext &ctx)
{
    return {sceneHistogram(sources, measured, settings, ctx),
            lampWhiteOf(RenderPlan(sources, measured, settings), ctx)};
}

void Document::takeLight(const SceneLight &light)
{
    histogram_ = light.histogram;
    lamp_ = light.lamp;
    Q_EMIT histogramChanged();
}

void Document::findHistogram()
{
    auto work = [sources = sources_, measured = *measured_, settings = recipeOnCanvas()](ExecContext &ctx) {
        return sceneLightOf(sources, measured, settings, ctx);
    };
    histogramLane_.start<SceneLight>({}, work, [this](Outcome<SceneLight> outcome) {
        if (outcome.result)
            takeLight(*outcome.result);
    });
}

void Document::exportPicture(const QString &path)
{
    writeFile(
        tr("Exporting %1"), path,
        [sources = sources_, recipe = recipe(), measured = *measured_](const std::string &file, ExecContext &ctx) {
            yolk::exportPicture(sources, recipe, measured, file, 0, 0, ctx);
            return QString();
        });
}

QString Document::proposedPath(const QString &suffix) const
{
    const Frame &reference = *bracket_->frames[bracket_->reference].frame;
    return QDir(folder()).filePath(QFileInfo(QString::fromStdString(reference.path)).completeBaseName() + suffix);
}

void Document::saveRadiance(const QString &path)
{
    writeFile(
        tr("Saving %1"), path,
        [sources = sources_, settings = recipe(), measured = *measured_](const std::string &file, ExecContext &ctx) {
            const RadianceReport report = yolk::exportRadiance(sources, settings, measured, file, ctx);
            return report.negatives > 0   ? tr("negative values of %1 pixels set to 0").arg(report.negatives)
                   : report.tooBright > 0 ? tr("%1 values too bright for 16 bits became 65504").arg(report.tooBright)
                                          : QString();
        });
}

void Document::writeFile(const QString &title, const QString &path, const WriteFile &write)
{
    const auto work = [write, file = QFile::encodeName(path).toStdString()](ExecContext &ctx) {
        return write(file, ctx);
    };
    exportLane_.start<QString>(title.arg(QFileInfo(path).fileName()), work, [this, path](Outcome<QString> outcome) {
        if (outcome.result)
            Q_EMIT kept(path, *outcome.result);
        else if (!outcome.cancelled)
            Q_EMIT failed(outcome.error);
    });
}

void Document::cancelJobs()
{
    for (Lane *lane : {&exportLane_, &openLane_, &mergeLane_, &compareLane_})
        if (lane->busy())
            return lane->cancel();
}

} // namespace yolk::app
