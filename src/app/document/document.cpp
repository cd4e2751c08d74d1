#include "document/document.h"

#include "document/hand_over.h"
#include "recipe/sections.h"
#include "render/files/output.h"
#include "render/files/radiance_export.h"
#include "render/stages/merged_store.h"
#include "widgets/words.h"

#include <QDir>
#include <QFileInfo>
#include <QLocale>
#include <QScopedValueRollback>

#include <algorithm>
#include <cmath>

namespace yolk::app {

QString countedFrames(qsizetype count)
{
    return count == 1 ? Document::tr("1 frame") : Document::tr("%1 frames").arg(count);
}

Document::Document(QObject *parent)
    : QObject(parent), comparison_(new Comparison(this)), viewLane_(Lane::Policy::FinishRunning, this),
      restLane_(Lane::Policy::CancelRunning, this), openLane_(Lane::Policy::CancelRunning, this),
      mergeLane_(Lane::Policy::CancelRunning, this), exportLane_(Lane::Policy::Queue, this),
      compareLane_(Lane::Policy::CancelRunning, this), thumbnailLane_(Lane::Policy::CancelRunning, this),
      histogramLane_(Lane::Policy::CancelRunning, this), pickLane_(Lane::Policy::CancelRunning, this),
      summaryLane_(Lane::Policy::FinishRunning, this), loupeLane_(Lane::Policy::FinishRunning, this),
      detailLane_(Lane::Policy::FinishRunning, this), readLane_(Lane::Policy::FinishRunning, this),
      tasteLane_(Lane::Policy::CancelRunning, this), keepLane_(Lane::Policy::Queue, this),
      storeLane_(Lane::Policy::CancelRunning, this), versionLane_(Lane::Policy::CancelRunning, this),
      aheadLane_(Lane::Policy::CancelRunning, this)
{
    areas_ = new Areas(this);
    mends_ = new Mends(this);
    dust_ = new Dust(this);
    for (const Handed what : {Handed::Picture, Handed::Light}) {
        handOvers_[size_t(what)] = new HandOver(this, what);
        connect(handOver(what), &HandOver::failed, this, &Document::failed);
    }
    lanes_ = {&exportLane_, &openLane_, &mergeLane_, &viewLane_, &compareLane_, dust_->lane()};
    connect(areas_, &Areas::lookChanged, this, &Document::renderView);
    connect(areas_, &Areas::failed, this, &Document::failed);
    endsTimer_.setSingleShot(true);
    connect(&endsTimer_, &QTimer::timeout, this, [this] {
        Q_EMIT lookChanged();
        renderView();
    });
    keepTimer_.setSingleShot(true);
    connect(&keepTimer_, &QTimer::timeout, this, &Document::keep);
    storeTimer_.setSingleShot(true);
    connect(&storeTimer_, &QTimer::timeout, this, &Document::storeMerge);
    viewClock_.start();
    wholeTimer_.setSingleShot(true);
    connect(&wholeTimer_, &QTimer::timeout, this, [this] { renderOn(restLane_, ViewEffort::Whole); });
    exactTimer_.setSingleShot(true);
    connect(&exactTimer_, &QTimer::timeout, this, [this] { renderOn(restLane_, ViewEffort::Exact); });
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
    turnTouchedGroupsOn(recipe, this->recipe());
    if (history_.push(std::move(recipe), what.toStdString(), gesture.toStdString()))
        recipeIsNew();
}

void Document::setRecipeAcross(Recipe recipe, const QString &what)
{
    setRecipe(std::move(recipe), what);
    kept_.across = hashOfSettings(this->recipe());
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

void Document::goToState(int index)
{
    if (index < 0 || index >= int(history_.states().size()) || size_t(index) == history_.at())
        return;
    history_.goTo(size_t(index));
    recipeIsNew();
}

void Document::paste(const CopiedSettings &copied, const std::set<std::string> &groups)
{
    if (isOpen())
        setRecipe(withCopied(recipe(), start(), copied, groups), tr("paste settings"));
}

void Document::setGroupOn(const QString &key, bool on)
{
    Recipe next = recipe();
    if (on)
        next.groups.off.erase(key.toStdString());
    else
        next.groups.off.insert(key.toStdString());
    setRecipe(std::move(next), on ? tr("%1 on").arg(groupName(key)) : tr("%1 off").arg(groupName(key)));
}

void Document::setGroupStrength(const QString &key, double percent, const QString &gesture)
{
    Recipe next = recipe();
    if (percent >= 100.0)
        next.groups.strength.erase(key.toStdString());
    else
        next.groups.strength[key.toStdString()] = percent;
    setRecipe(std::move(next), tr("strength of %1").arg(groupName(key)), gesture);
}

void Document::setGroupName(const QString &key, const QString &name)
{
    Recipe next = recipe();
    if (name.isEmpty())
        next.groups.names.erase(key.toStdString());
    else
        next.groups.names[key.toStdString()] = name.toStdString();
    setRecipe(std::move(next), tr("name of %1").arg(groupName(key)));
}

QString Document::groupName(const QString &key) const
{
    const auto own = recipe().groups.names.find(key.toStdString());
    if (own != recipe().groups.names.end())
        return QString::fromStdString(own->second);
    const auto group = std::ranges::find(settingGroups(), key.toStdString(), &SettingGroup::key);
    return group == settingGroups().end() ? key : words(group->name);
}

void Document::recipeIsNew()
{
    tellOfRecipe();
    renderView();
}

void Document::tellOfRecipe()
{
    const QScopedValueRollback<bool> waiting(viewWaits_,
                                             true); // the canvas may ask for another part: one view answers all
    reach_.reset();
    const Recipe now = inForce(recipe(), *measured_);
    curve_.emplace(now.tone, measured_->tone);
    const bool mergeChanged = !areSameUpTo(Stage::Merge, now, mergedRecipe_);
    // Where the frames lie and how they count.
    const bool framesChanged = !areSameUpTo(Stage::Align, now, mergedRecipe_) || now.frames != mergedRecipe_.frames;
    const bool cropChanged = !areSameAt(Stage::Geometry, now, mergedRecipe_);
    const bool lightChanged =
        !areSameAt(Stage::Mend, now, mergedRecipe_) || !areSameAt(Stage::Scene, now, mergedRecipe_);
    if (cropChanged) { // pictures of versions lie as the picture does
        versionLane_.discard();
        versionPictures_.clear();
    }
    if (framesChanged || cropChanged) {
        mergedRecipe_.geometry = now.geometry;
        mergedRecipe_.lens.straightens = now.lens.straightens;
        mergedRecipe_.returned = now.returned;
        if (framesChanged) {
            arrange();
            Q_EMIT bracketChanged();
        } else {
            arrangeArea();
        }
        Q_EMIT areaChanged();
    }
    changed();
    Q_EMIT recipeChanged();
    if (mergeChanged) {
        isDraft_ = false;
        onceShown_ = nullptr; // another merge follows
        discardViews();
        startMerge();
    } else if (lightChanged) {
        mergedRecipe_.mend = now.mend;
        mergedRecipe_.returnedLight = now.returnedLight;
        mergedRecipe_.white = now.white;
        mergedRecipe_.lamp = now.lamp;
        mergedRecipe_.lens = now.lens;
        findHistogram();
    }
    paintVersions();
}

void Document::startMerge()
{
    constexpr int kQuietMilliseconds = 1000; // after a full merge, before it goes to the disk
    // What the light scale and the pointer read: first from the reduced decode, which the first picture needs anyway,
    // then from the full one.
    struct Step {
        MergedPtr merged;
        SceneLight light;
    };
    mergedRecipe_ = inForce(recipe(), *measured_);
    mergedIsCurrent_ = false;
    onceShown_ = nullptr;
    storeTimer_.stop();
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
                                   if (take(outcome)) {
                                       renderView(); // the same view again, from all pixels
                                       storeTimer_.start(kQuietMilliseconds);
                                   }
                               });
    };
    const Hash128 key = RenderPlan(sources_, *measured_, mergedRecipe_).mergedKey(1);
    const bool isStored =
        sources_.cache->held<MergedSet>(key) || (sources_.store && sources_.store->holds(key)); // else a draft first
    isDraft_ = isDraft_ && !isStored;
    if (preview == 1 || isStored)
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
    exportRecipe(path, recipe());
}

void Document::exportRecipe(const QString &path, const Recipe &recipe, const std::function<void()> &written)
{
    const auto write = [sources = sources_, recipe, measured = *measured_, rating = rating()](const std::string &file,
                                                                                              ExecContext &ctx) {
        const PictureReport report = yolk::exportPicture(sources, recipe, measured, {file, 0, 0, rating}, ctx);
        const QString size = tr("%1 × %2, %3")
                                 .arg(report.width)
                                 .arg(report.height)
                                 .arg(QLocale().formattedDataSize(report.bytes, 1, QLocale::DataSizeSIFormat));
        return recipe.output.mostKilobytes > 0.0 && report.quality > 0
                   ? tr("%1, quality %2").arg(size).arg(report.quality)
                   : size;
    };
    writeFile(tr("Exporting %1"), path, write, written);
}

QString Document::pathFor(const ExportSettings &settings, const QString &folder) const
{
    const Frame &reference = *bracket_->frames[bracket_->reference].frame;
    const QSize size = area_.size();
    const std::string name =
        outputNameOf(settings, {reference.path, reference.metadata, rating(), 0, size.width(), size.height()});
    return QDir(folder.isEmpty() ? this->folder() : folder).filePath(QString::fromStdString(name));
}

QString Document::proposedPath(const QString &suffix) const
{
    const Frame &reference = *bracket_->frames[bracket_->reference].frame;
    return QDir(folder()).filePath(QFileInfo(QString::fromStdString(reference.path)).completeBaseName() + suffix);
}

void Document::saveRadiance(const QString &path)
{
    saveRadianceOf(path, recipe(), [this, info = QFileInfo(path), of = folder()] {
        if (info.absolutePath() != of || of != folder())
            return;
        kept_.radiance = info.fileName().toStdString(); // work can go on from it when the frames are deleted
        changed();
    });
}

void Document::saveRadianceOf(const QString &path, const Recipe &recipe, const std::function<void()> &written)
{
    const auto write = [sources = sources_, recipe, measured = *measured_](const std::string &file, ExecContext &ctx) {
        const RadianceReport report = yolk::exportRadiance(sources, recipe, measured, file, ctx);
        return report.negatives > 0   ? tr("negative values of %1 pixels set to 0").arg(report.negatives)
               : report.tooBright > 0 ? tr("%1 values too bright for 16 bits became 65504").arg(report.tooBright)
                                      : QString();
    };
    writeFile(tr("Saving %1"), path, write, written);
}

void Document::writeFile(const QString &title, const QString &path, const WriteFile &write,
                         const std::function<void()> &written)
{
    const auto work = [write, file = QFile::encodeName(path).toStdString()](ExecContext &ctx) {
        return write(file, ctx);
    };
    exportLane_.start<QString>(title.arg(QFileInfo(path).fileName()), work,
                               [this, path, written](Outcome<QString> outcome) {
                                   if (outcome.result) {
                                       if (written)
                                           written();
                                       Q_EMIT kept(path, *outcome.result);
                                   } else if (!outcome.cancelled)
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
