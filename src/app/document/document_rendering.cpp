// Rendering what the canvas shows: the jobs, how soon they are drawn and how finely, and the summary after them.
#include "document/document.h"

#include "document/screen_picture.h"
#include "recipe/sections.h"
#include "render/plan/render_plan.h"
#include "render/views/through_map.h"

#include <QFile>
#include <QFileInfo>

#include <algorithm>
#include <cmath>
#include <utility>

namespace yolk::app {
namespace {

constexpr double kOverviewSide = 320.0;   // pixels: the inset of the canvas, the output's histogram
constexpr int kWholeMilliseconds = 100;   // after which settings are taken to rest
constexpr int kSummaryMilliseconds = 100; // between two while views are drafts: the eye follows no histogram faster
constexpr int kExactMilliseconds = 300;   // after which a view is taken to be looked at

/// Frames, masks, windows and true pixels are drawn whole; what acts on single pixels acts from half their size on.
double draftScale(const ViewJob &job, const ViewRequest &view, ViewPace &pace, qint64 now)
{
    constexpr double kPixelsAct = 0.501;
    const double scale = pace.scaleFor(double(view.size.width()) * view.size.height(), now);
    const double zoom = view.size.width() / view.region.width();
    if (job.frame || job.inspection || job.reach || job.area || zoom >= 1.0)
        return 1.0;
    return zoom < kPixelsAct ? scale : std::max(scale, kPixelsAct / zoom);
}

bool sameMerge(const Measured &measured, const Recipe &a, const Recipe &b)
{
    return areSameUpTo(Stage::Merge, inForce(a, measured), inForce(b, measured));
}

} // namespace

void Document::requestView(const ViewRequest &request)
{
    view_ = request;
    renderOn(viewLane_, ViewEffort::Whole);
}

/// What a profile from a file makes of the picture, while the export is proved and goes through one.
std::shared_ptr<const MonitorTransform> Document::proof() const
{
    const ExportSettings &output = recipe().output;
    if (!proofing_ || output.space != OutputSpace::Profile || output.profile.empty())
        return nullptr;
    try {
        TargetProfile target{readTargetProfile(output.profile), output.intent};
        if (!proof_ || proof_->first.bytes != target.bytes || proof_->first.intent != target.intent)
            proof_.emplace(target, monitor_->proofOf(target));
        return proof_->second;
    } catch (const Error &) {
        return nullptr; // the export will say it
    }
}

ViewJob Document::jobFor(const ViewSource &source)
{
    const int preview = previewReduction(sources_);
    const double perPixel = view_ ? view_->region.width() / view_->size.width() : 1.0;
    ViewJob job{.sources = sources_,
                .measured = *measured_,
                .recipe = recipeOnCanvas(),
                .overlay = overlay_,
                .monitor = monitor_,
                .proof = proof(),
                .space = proofing_ ? recipe().output.space : monitor_->space(), // no colour that a file will not hold
                .reduction = fullMergeReady() ? 1 : preview};
    // Of a frame the smallest decode that has a pixel for each of the screen's.
    const auto showFrame = [&](const std::string &id, FrameView::As as) {
        const auto at = std::ranges::find_if(sources_.frames, [&](const FramePtr &f) { return f->id == id; });
        if (at != sources_.frames.end())
            job.frame = FrameView{size_t(at - sources_.frames.begin()), as};
        if (perPixel >= preview)
            job.reduction = preview;
    };
    const FrameView::As as = comparison_->framesAsTaken() ? FrameView::As::Taken : FrameView::As::Through;
    const auto showOther = [&](const Recipe &other) {
        job.recipe = inForce(other, *measured_);
        job.recipe.output = recipe().output;
        job.recipe.geometry = inForce(recipe(), *measured_).geometry; // pixels lie on pixels
        job.recipe.frames.reference = bracket_->frames[bracket_->reference].frame->id;
        Recipe now = recipe();
        now.frames.reference = job.recipe.frames.reference;
        if (!sameMerge(*measured_, job.recipe, now))
            job.reduction = preview;
        if (job.reduction != preview || perPixel >= preview || !fullMergeReady())
            return;
        if (comparedInFull_ && sameMerge(*measured_, *comparedInFull_, job.recipe))
            job.reduction = 1;
        else
            mergeForComparison(job.recipe);
    };
    switch (source.kind) {
    case ViewSource::Kind::Picture:
        mends_->putOnCanvas(job.recipe);
        break;
    case ViewSource::Kind::MiddleFrame:
        showFrame(bracket_->frames[bracket_->reference].frame->id, as);
        break;
    case ViewSource::Kind::Frame:
        showFrame(source.frame, as);
        break;
    case ViewSource::Kind::PlainMerge:
        job.recipe.tone = {.method = ToneMethod::Plain, .exposure = automatic_.exposure};
        job.recipe.returned = job.recipe.returnedLight = {};
        break;
    case ViewSource::Kind::Opening:
        showOther(history_.opening());
        break;
    case ViewSource::Kind::Unmended: {
        Recipe unmended = recipe();
        unmended.mend = {};
        unmended.returnedLight = {};
        showOther(unmended);
        break;
    }
    case ViewSource::Kind::Version:
        if (source.version < int(versions_.size()))
            showOther(versions_[source.version].recipe);
        break;
    case ViewSource::Kind::File:
        if (other_ && other_->path == source.file) {
            job.sources = other_->sources;
            job.measured = other_->measured;
            job.recipe = {};
            job.frame = FrameView{0, FrameView::As::File};
            job.over = QRectF(area_);
            job.reduction = perPixel >= 1.0 ? previewReduction(other_->sources) : 1;
        }
        break;
    }
    return job;
}

void Document::compareWithFile(const QString &path)
{
    if (!isOpen())
        return;
    auto work = [path](ExecContext &ctx) {
        constexpr size_t kSmallCache = size_t(256) << 20;
        const std::string file = QFile::encodeName(path).toStdString();
        try {
            OtherPicture out{path.toStdString(), {{loadFrame(file)}, std::make_shared<StageCache>(kSmallCache)}, {}};
            out.measured = analyse(out.sources, {}, ctx);
            return out;
        } catch (const InputError &e) {
            throw Error(inputErrorText(e).toStdString());
        }
    };
    compareLane_.start<OtherPicture>(
        tr("Reading %1").arg(QFileInfo(path).fileName()), work, [this](Outcome<OtherPicture> outcome) {
            if (!outcome.error.isEmpty())
                Q_EMIT failed(tr("%1. The comparison stays as it was.").arg(outcome.error));
            if (!outcome.result)
                return;
            other_ = std::move(*outcome.result);
            if (comparison_->way() == CompareWay::Off)
                comparison_->setWay(CompareWay::Split);
            comparison_->setAgainst({ViewSource::Kind::File, {}, 0, other_->path});
        });
}

/// A version that merges other frames, or otherwise, is merged in full once it is looked at in detail.
void Document::mergeForComparison(const Recipe &wanted)
{
    if (compareLane_.busy() && comparing_ && sameMerge(*measured_, *comparing_, wanted))
        return;
    comparing_ = wanted;
    auto work = [sources = sources_, measured = *measured_, wanted](ExecContext &ctx) {
        return mergedOf(RenderPlan(sources, measured, wanted), 1, ctx);
    };
    compareLane_.start<MergedPtr>(tr("Full merge to compare with"), work, [this, wanted](Outcome<MergedPtr> outcome) {
        if (outcome.result) {
            comparedInFull_ = wanted;
            renderView();
        } else if (!outcome.cancelled) {
            Q_EMIT failed(outcome.error);
        }
    });
}

/// What is under way shows what is no longer wanted.
void Document::discardViews()
{
    wholeTimer_.stop();
    exactTimer_.stop();
    restLane_.discard();
    viewLane_.discard();
    if (const auto next = std::exchange(onceShown_, nullptr)) // the view that it waited for will not come
        next();
}

void Document::renderView()
{
    renderOn(viewLane_, ViewEffort::Quick);
}

/// Quick: as large as leaves a slider its answer in time. Whole: every pixel of the screen. Exact: as a file would show it,
/// which takes all pixels of the picture, for settings that rest. What is asked of the view's own lane comes first.
void Document::renderOn(Lane &lane, ViewEffort effort)
{
    const bool first = &lane == &viewLane_;
    if (first && viewWaits_)
        return;
    if (first) {
        wholeTimer_.stop();
        exactTimer_.stop();
        restLane_.discard();
    }
    if (!isOpen() || !view_ || view_->size.isEmpty() || view_->region.isEmpty())
        return;
    const auto &held = comparison_->held();
    ViewJob job = jobFor(held ? *held : ViewSource());
    if (!held) {
        job.inspection = inspection_;
        job.ends = shownEnds();
        if (lookedAt_.empty() && !inspection_) {
            job.reach = reach_;
            if (const auto look = areas_->shownLook())
                job.area = std::pair(size_t(areas_->chosenIndex()), *look);
        }
        if (const auto looked = lookedAt()) {
            job.frame = FrameView{size_t(bracket_->frames[*looked].given) - 1, FrameView::As::File};
            const int preview = previewReduction(sources_);
            job.reduction = view_->region.width() / view_->size.width() >= preview ? preview : 1;
        }
    }
    std::optional<ViewJob> against;
    if (isComparing())
        against = jobFor(comparison_->against());
    const bool full = job.reduction == 1;
    const bool smaller = view_->region.width() > view_->size.width() || view_->region.height() > view_->size.height();
    const bool exact = effort == ViewEffort::Exact;
    const bool waitsForExact = !exact && full && smaller && !job.frame && !job.inspection;
    const double draft = effort == ViewEffort::Quick ? draftScale(job, *view_, pace_, viewClock_.elapsed()) : 1.0;
    const double drawn = double(view_->size.width()) * view_->size.height() * draft * draft;
    job.exact = exact;
    job.draft = draft;
    if (against) {
        against->exact = exact && against->reduction == 1;
        against->draft = draft;
    }
    auto work = [job, against, view = *view_, full](ExecContext &ctx) {
        QElapsedTimer clock;
        clock.start();
        ViewPicture out{paintView(job, view, ctx), view.region, full, job.exact, {}};
        if (against)
            out.against = paintView(*against, view, ctx);
        out.milliseconds = double(clock.nsecsElapsed()) * 1e-6;
        return out;
    };
    lane.start<ViewPicture>({}, work, [this, first, draft, drawn, waitsForExact](Outcome<ViewPicture> outcome) {
        if (first)
            if (const auto next = std::exchange(onceShown_, nullptr))
                next();
        if (!outcome.result) {
            if (!outcome.cancelled)
                Q_EMIT failed(outcome.error);
            return;
        }
        Q_EMIT viewReady(*outcome.result);
        if (draft < 1.0)
            wholeTimer_.start(kWholeMilliseconds);
        else if (waitsForExact)
            exactTimer_.start(kExactMilliseconds);
        if (first)
            pace_.took(drawn, outcome.result->milliseconds);
        // One that draws along with the drafts takes its time from the next.
        if (draft == 1.0 || !summarised_.isValid() || summarised_.elapsed() >= kSummaryMilliseconds)
            summarise();
    });
}

void Document::summarise()
{
    ViewJob job = jobFor({});
    const double longest = std::max(area_.width(), area_.height()), scale = std::min(1.0, kOverviewSide / longest);
    job.reduction = previewReduction(sources_);
    const ViewRequest whole{QRectF(area_), QSize(std::max(1, int(std::lround(area_.width() * scale))),
                                                 std::max(1, int(std::lround(area_.height() * scale))))};
    if (summaryOf_ == std::pair(job.recipe, mergedIsCurrent_) && overview_.region == whole.region)
        return; // only another part is shown
    summaryOf_ = {job.recipe, mergedIsCurrent_};
    summarised_.start();
    auto work = [job, whole](ExecContext &ctx) {
        const RenderRequest request{
            job.reduction,
            {whole.region.left(), whole.region.top(), whole.region.right(), whole.region.bottom()},
            whole.size.width(),
            whole.size.height()};
        const RenderPlan plan(job.sources, job.measured, job.recipe);
        const Image<float> display = render(plan, job.recipe.output.space, request, ctx);
        Summary out; // step by step: g++ 12 destroys twice what a braced list held when a later part of it throws
        const bool same = job.space == job.recipe.output.space; // then it need not be rendered twice
        out.overview.image =
            same ? screenPicture(display.view(), job.monitor->from(job.space), ctx) : paintView(job, whole, ctx);
        out.overview.region = whole.region;
        const Image<uint8_t> reached = reachedIn(plan, request, ctx);
        out.histogram = yolk::outputHistogram(display.view(), job.recipe.output.space, ctx, reached.view());
        if (job.recipe.tone.method == ToneMethod::Blend) {        // the others have a curve
            const PicturePtr scene = sceneOf(plan, request, ctx); // is in the cache
            out.response = toneResponse(scene->view(), display.view(), job.recipe.output.space, ctx);
        }
        return out;
    };
    summaryLane_.start<Summary>({}, work, [this](Outcome<Summary> outcome) {
        if (!outcome.result)
            return;
        overview_ = outcome.result->overview;
        outputHistogram_ = outcome.result->histogram;
        response_ = outcome.result->response;
        Q_EMIT summaryChanged();
    });
    read();
}

void Document::requestLoupe(const ViewRequest &request)
{
    renderPart(loupeLane_, request, &Document::loupeReady);
}

void Document::requestDetail(const ViewRequest &request)
{
    renderPart(detailLane_, request, &Document::detailReady);
}

void Document::renderPart(Lane &lane, const ViewRequest &request, void (Document::*ready)(const ViewPicture &))
{
    if (!isOpen())
        return;
    const auto &held = comparison_->held();
    const ViewJob job = jobFor(held ? *held : ViewSource());
    auto work = [job, request](ExecContext &ctx) {
        return ViewPicture{paintView(job, request, ctx), request.region, job.reduction == 1, false, {}};
    };
    lane.start<ViewPicture>({}, work, [this, ready](Outcome<ViewPicture> outcome) {
        if (outcome.result)
            Q_EMIT(this->*ready)(*outcome.result);
    });
}

} // namespace yolk::app
