// What the photographer says about movement.
#include "document/document.h"

#include "document/movement_text.h"

#include <algorithm>

namespace yolk::app {

std::optional<int> Document::numberOf(const std::string &frameId) const
{
    if (isOpen())
        for (const BracketFrame *f : bracket_->used())
            if (f->frame->id == frameId)
                return f->number;
    return std::nullopt;
}

void Document::setKeeper(std::optional<size_t> index)
{
    Recipe next = recipe();
    next.frames.keeper = index ? bracket_->frames[*index].frame->id : std::string();
    setRecipe(next, index ? tr("frame %1 as keeper").arg(bracket_->frames[*index].number) : tr("automatic keeper"));
}

void Document::addRegion(HandRegion region)
{
    if (!isOpen() || region.points.empty() || recipe().movement.regions.size() >= kMostRegions)
        return;
    region.drawnOn = bracket_->frames[bracket_->reference].frame->id;
    if (region.points.size() > kMostPoints) { // every so many of them say the same
        const size_t step = region.points.size() / kMostPoints + 1;
        std::vector<Point> few;
        for (size_t i = 0; i < region.points.size(); i += step)
            few.push_back(region.points[i]);
        region.points = std::move(few);
    }
    Recipe next = recipe();
    const QString what = regionText(*this, region);
    next.movement.regions.push_back(std::move(region));
    setRecipe(next, what.toLower());
}

void Document::setRegion(size_t index, HandRegion region)
{
    Recipe next = recipe();
    if (index >= next.movement.regions.size())
        return;
    next.movement.regions[index] = std::move(region);
    setRecipe(next, tr("change of an area"));
}

void Document::removeRegion(size_t index)
{
    Recipe next = recipe();
    if (index >= next.movement.regions.size())
        return;
    next.movement.regions.erase(next.movement.regions.begin() + ptrdiff_t(index));
    setRecipe(next, tr("removal of an area"));
}

QPolygonF Document::regionShape(size_t index) const
{
    const HandRegion &region = recipe().movement.regions[index];
    const Transform here =
        transformBetween(region.drawnOn, bracket_->frames[bracket_->reference].frame->id, sources_, *measured_);
    QPolygonF out;
    for (const Point &p : region.points) {
        const Point q = here(p);
        out << QPointF(q.x, q.y);
    }
    return out;
}

void Document::decidePlace(size_t place, HandTask task, std::optional<size_t> frame)
{
    if (!merged_ || place >= merged_->movement.places.size())
        return;
    HandRegion region;
    region.task = task;
    if (frame)
        region.frame = bracket_->frames[*frame].frame->id;
    std::vector<Point> outline = outlineOf(merged_->movement, place);
    for (Point &p : outline)
        p = {p.x * merged_->reduction, p.y * merged_->reduction};
    region.points = std::move(outline);
    addRegion(std::move(region));
}

QRectF Document::placeArea(size_t place) const
{
    const Rect &area = merged_->movement.places[place].area;
    const double r = merged_->reduction;
    return {area.x0 * r, area.y0 * r, area.width() * r, area.height() * r};
}

} // namespace yolk::app
