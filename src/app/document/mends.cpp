#include "document/mends.h"

#include "document/document.h"
#include "render/stages/mend_stage.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {

Mends::Mends(Document *document)
    : QObject(document), document_(document), lane_(Lane::Policy::CancelRunning, this),
      tryLane_(Lane::Policy::CancelRunning, this)
{
    tryTimer_.setSingleShot(true);
    connect(&tryTimer_, &QTimer::timeout, this, &Mends::trySpot);
    connect(document, &Document::recipeChanged, this, &Mends::recipeChanged);
    connect(document, &Document::setChanged, this, [this] { // as large as the picture asks for
        constexpr double kUsual = 0.008;                    // of the longer side
        const QSize size = document_->pictureSize();
        next_.radius = std::max(3.0, std::round(kUsual * std::max(size.width(), size.height())));
        seen_ = all();
        strokeWay_ = MendWay::Woven;
        tryAlong({});
        choose(-1);
        Q_EMIT nextChanged();
        Q_EMIT changed();
    });
}

const SharedList<MendSpot> &Mends::all() const
{
    static const SharedList<MendSpot> none;
    return document_->isOpen() ? document_->recipe().mend.spots : none;
}

const MendSpot *Mends::chosen() const
{
    return chosen_ >= 0 && size_t(chosen_) < all().size() ? &all()[size_t(chosen_)] : nullptr;
}

void Mends::choose(int index)
{
    index = std::clamp(index, -1, int(all().size()) - 1);
    if (index == chosen_)
        return;
    chosen_ = index;
    sources_.clear();
    lane_.discard();
    Q_EMIT chosenChanged();
}

QString Mends::nameOf(int index) const
{
    return all()[size_t(index)].points.size() > 1 ? tr("Stroke %1").arg(index + 1) : tr("Spot %1").arg(index + 1);
}

void Mends::recipeChanged()
{
    if (all() == seen_)
        return;
    seen_ = all();
    if (chosen_ >= int(seen_.size()))
        choose(int(seen_.size()) - 1);
    Q_EMIT changed();
}

void Mends::setAll(std::vector<MendSpot> spots, const QString &what, const QString &gesture)
{
    Recipe next = document_->recipe();
    next.mend.spots = std::move(spots);
    document_->setRecipe(std::move(next), what, gesture);
}

void Mends::set(int index, MendSpot spot, const QString &what, const QString &gesture)
{
    std::vector<MendSpot> spots = all().all();
    if (index < 0 || size_t(index) >= spots.size())
        return;
    spots[size_t(index)] = std::move(spot);
    setAll(std::move(spots), what, gesture);
}

void Mends::change(const std::function<void(MendSpot &)> &edit, const QString &what, const QString &gesture)
{
    const MendWay before = next_.way;
    edit(next_);
    if (const MendSpot *spot = chosen()) {
        MendSpot changed = *spot;
        edit(changed);
        if (isFromFrame(changed) && changed.frame.empty())
            changed.frame = likelyFrame();
        const bool isStroke = changed.points.size() > 1, wayChanged = changed.way != spot->way;
        const bool needsPlace = isFromPlace(changed) && changed.sourceX == 0.0 && changed.sourceY == 0.0;
        if (isStroke && wayChanged) {
            strokeWay_ = changed.way;
            next_.way = before;
        }
        set(chosen_, std::move(changed), what, gesture);
        if (wayChanged)
            sources_.clear();
        if (needsPlace)
            findSources(gesture);
    } else if (next_.way != before) {
        strokeWay_ = next_.way;
    }
    Q_EMIT nextChanged();
}

void Mends::add(std::vector<Point> points)
{
    if (!document_->isOpen() || points.empty() || all().size() >= kMostMends)
        return;
    MendSpot spot = madeAlong(std::move(points));
    const bool wasTried = tried_ && tried_->points == spot.points;
    if (wasTried)
        spot = *tried_;
    tryAlong({});
    const bool needsPlace = isFromPlace(spot) && !wasTried;
    std::vector<MendSpot> spots = all().all();
    spots.push_back(std::move(spot));
    const QString gesture = QStringLiteral("mend %1").arg(++made_);
    setAll(std::move(spots), tr("mend"), gesture);
    choose(int(all().size()) - 1);
    if (needsPlace)
        findSources(gesture);
}

MendSpot Mends::madeAlong(std::vector<Point> points) const
{
    MendSpot spot = next_;
    if (points.size() > 1)
        spot.way = strokeWay_;
    spot.points = std::move(points);
    spot.drawnOn = document_->bracket().frames[document_->bracket().reference].frame->id;
    spot.sourceX = spot.sourceY = spot.turn = spot.weave = 0.0;
    spot.strength = 100.0; // a weak one was meant as that one
    spot.on = true;
    if (isFromFrame(spot) && spot.frame.empty())
        spot.frame = likelyFrame();
    return spot;
}

/// The next darker one than the reference: it holds what that holds, and more.
std::string Mends::likelyFrame() const
{
    const Bracket &bracket = document_->bracket();
    const auto used = bracket.used();
    const auto at = std::ranges::find(used, &bracket.frames[bracket.reference]);
    if (used.size() < 2 || at == used.end())
        return {};
    return (at == used.begin() ? used[1] : *(at - 1))->frame->id;
}

// ---- on the canvas alone

void Mends::tryAlong(std::vector<Point> points)
{
    constexpr int kRestMilliseconds = 150;
    tryTimer_.stop();
    tryLane_.discard();
    const bool wasShown = tried_.has_value();
    tried_.reset();
    resting_ = document_->isOpen() ? std::move(points) : std::vector<Point>();
    if (!resting_.empty() && next_.way != MendWay::Frame) // another merge is not made in passing
        tryTimer_.start(kRestMilliseconds);
    if (wasShown)
        document_->viewAgain();
}

void Mends::trySpot()
{
    MendSpot spot = madeAlong(resting_);
    const int reduction = document_->fullMergeReady() ? 1 : previewReduction(document_->sources());
    Recipe recipe = document_->recipe();
    std::vector<MendSpot> spots = all().all();
    spots.push_back(spot);
    recipe.mend.spots = std::move(spots);
    auto work = [sources = document_->sources(), measured = document_->measured(), recipe, spot,
                 reduction](ExecContext &ctx) {
        if (!isFromPlace(spot))
            return std::vector<Point>{{}};
        return mendSources(RenderPlan(sources, measured, recipe), recipe.mend.spots.size() - 1, reduction, 1, ctx);
    };
    tryLane_.start<std::vector<Point>>({}, work, [this, spot](Outcome<std::vector<Point>> outcome) mutable {
        if (!outcome.result || outcome.result->empty() || spot.points != resting_)
            return;
        spot.sourceX = outcome.result->front().x;
        spot.sourceY = outcome.result->front().y;
        tried_ = std::move(spot);
        document_->viewAgain();
    });
}

void Mends::putOnCanvas(Recipe &recipe) const
{
    if (!tried_)
        return;
    std::vector<MendSpot> spots = recipe.mend.spots.all();
    spots.push_back(*tried_);
    recipe.mend.spots = std::move(spots);
}

// ---- the list

void Mends::remove(int index)
{
    std::vector<MendSpot> spots = all().all();
    if (index < 0 || size_t(index) >= spots.size())
        return;
    const QString name = nameOf(index);
    spots.erase(spots.begin() + index);
    setAll(std::move(spots), tr("remove %1").arg(name.toLower()), {});
    sources_.clear();
    Q_EMIT chosenChanged();
}

void Mends::removeAll()
{
    setAll({}, tr("mend nothing"), {});
}

void Mends::nextSource()
{
    if (!chosen() || lane_.busy())
        return;
    const QString gesture = QStringLiteral("source %1").arg(++made_);
    if (!isFromPlace(*chosen()))
        return nextOther(gesture);
    if (sources_.empty())
        return findSources(gesture);
    takeSource((source_ + 1) % sources_.size(), gesture);
}

/// The next weave, or the next frame.
void Mends::nextOther(const QString &gesture)
{
    MendSpot spot = *chosen();
    if (isWoven(spot)) {
        spot.weave = std::fmod(std::round(spot.weave) + 1.0, kMostWeaves);
    } else {
        const auto used = document_->bracket().used();
        const auto at = std::ranges::find(used, spot.frame, [](const BracketFrame *f) { return f->frame->id; });
        spot.frame = used[at == used.end() ? 0 : size_t(at - used.begin() + 1) % used.size()]->frame->id;
    }
    set(chosen_, std::move(spot), tr("mend"), gesture);
}

/// Asked once for a spot; where it is mended from now counts as the first of the list if it is one of it.
void Mends::findSources(const QString &gesture)
{
    constexpr size_t kMost = 8;
    const int index = chosen_;
    const MendSpot spot = all()[size_t(index)];
    const int reduction = document_->fullMergeReady() ? 1 : previewReduction(document_->sources());
    auto work = [sources = document_->sources(), measured = document_->measured(), recipe = document_->recipe(), index,
                 reduction](ExecContext &ctx) {
        return mendSources(RenderPlan(sources, measured, recipe), size_t(index), reduction, kMost, ctx);
    };
    lane_.start<std::vector<Point>>(
        tr("Looking for a place to mend from"), work,
        [this, index, spot, gesture](Outcome<std::vector<Point>> outcome) {
            if (!outcome.error.isEmpty())
                Q_EMIT document_->failed(outcome.error);
            if (!outcome.result || index != chosen_ || !chosen() || !(chosen()->points == spot.points))
                return;
            sources_ = *outcome.result;
            if (sources_.empty())
                return Q_EMIT document_->failed(
                    tr("There is no place in the picture that this spot could be mended from: "
                       "make it smaller."));
            const auto isNow = [&](const Point &p) {
                return std::hypot(p.x - spot.sourceX, p.y - spot.sourceY) < 0.5 * spot.radius;
            };
            const auto now = std::ranges::find_if(sources_, isNow);
            takeSource(now == sources_.end() ? 0 : size_t(now - sources_.begin() + 1) % sources_.size(), gesture);
        });
}

void Mends::takeSource(size_t place, const QString &gesture)
{
    source_ = place;
    MendSpot spot = *chosen();
    spot.sourceX = sources_[place].x;
    spot.sourceY = sources_[place].y;
    set(chosen_, std::move(spot), tr("mend"), gesture);
}

} // namespace yolk::app
