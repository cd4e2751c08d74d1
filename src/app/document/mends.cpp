#include "document/mends.h"

#include "document/document.h"
#include "render/stages/mend_stage.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {

Mends::Mends(Document *document) : QObject(document), document_(document), lane_(Lane::Policy::CancelRunning, this)
{
    connect(document, &Document::recipeChanged, this, &Mends::recipeChanged);
    connect(document, &Document::setChanged, this, [this] { // as large as the picture asks for
        constexpr double kUsual = 0.008;                    // of the longer side
        const QSize size = document_->pictureSize();
        next_.radius = std::max(3.0, std::round(kUsual * std::max(size.width(), size.height())));
        seen_ = all();
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
    edit(next_);
    if (const MendSpot *spot = chosen()) {
        MendSpot changed = *spot;
        edit(changed);
        set(chosen_, std::move(changed), what, gesture);
    }
    Q_EMIT nextChanged();
}

void Mends::add(std::vector<Point> points)
{
    if (!document_->isOpen() || points.empty() || all().size() >= kMostMends)
        return;
    MendSpot spot = next_;
    spot.points = std::move(points);
    spot.drawnOn = document_->bracket().frames[document_->bracket().reference].frame->id;
    spot.sourceX = spot.sourceY = spot.turn = 0.0;
    spot.strength = 100.0; // a weak one was meant as that one
    spot.on = true;
    std::vector<MendSpot> spots = all().all();
    spots.push_back(std::move(spot));
    const QString gesture = QStringLiteral("mend %1").arg(++made_);
    setAll(std::move(spots), tr("mend"), gesture);
    choose(int(all().size()) - 1);
    findSources(gesture);
}

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
    if (sources_.empty())
        return findSources(gesture);
    takeSource((source_ + 1) % sources_.size(), gesture);
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
