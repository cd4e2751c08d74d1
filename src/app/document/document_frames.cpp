// What the photographer decides about frames before they are merged.
#include "document/document.h"

#include "recipe/sections.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {

void Document::arrange()
{
    bracket_ = bracketOf(sources_, *measured_, recipe());
    coverage_ = coverageOf(*bracket_, measured_->light);
    arrangeArea();
    movePins(bracket_->frames[bracket_->reference].frame->id);
    const bool gone = std::ranges::none_of(bracket_->frames, [&](const auto &f) { return f.frame->id == lookedAt_; });
    if (!lookedAt_.empty() && gone) {
        lookedAt_.clear();
        Q_EMIT lookChanged();
    }
}

void Document::arrangeArea()
{
    const RenderPlan plan(sources_, *measured_, recipe());
    const Rect area = yolk::pictureArea(plan);
    map_.emplace(plan.map);
    const Rect frame = croppedArea(plan);
    frameArea_ = QRectF(frame.x0, frame.y0, frame.width(), frame.height());
    area_ = QRect(area.x0, area.y0, area.width(), area.height());
}

QPointF Document::toReference(const QPointF &picture) const
{
    const Point p = map_ ? map_->toReference({picture.x(), picture.y()}) : Point{picture.x(), picture.y()};
    return {p.x, p.y};
}

QPointF Document::toPicture(const QPointF &reference) const
{
    const Point p = map_ ? map_->toPicture({reference.x(), reference.y()}) : Point{reference.x(), reference.y()};
    return {p.x, p.y};
}

QPointF Document::onPicture(const std::string &frame, const Point &place) const
{
    const std::string &reference = bracket_->frames[bracket_->reference].frame->id;
    const Point p = transformBetween(frame, reference, sources_, *measured_)(place);
    return toPicture({p.x, p.y});
}

Point Document::onFrame(const std::string &frame, const QPointF &picture) const
{
    const std::string &reference = bracket_->frames[bracket_->reference].frame->id;
    const QPointF p = toReference(picture);
    return transformBetween(reference, frame, sources_, *measured_)({p.x(), p.y()});
}

bool Document::shows(const QPointF &reference) const
{
    return QRectF(area_).contains(toPicture(reference));
}

void Document::setFrameUsed(size_t index, bool used)
{
    const BracketFrame &frame = bracket_->frames[index];
    Recipe next = recipe();
    if (used) {
        next.frames.excluded.erase(frame.frame->id);
        if (frame.astray) // it was left out because it cannot be aligned
            next.frames.unaligned.insert(frame.frame->id);
    } else if (bracket_->used().size() > 1) {
        next.frames.excluded.insert(frame.frame->id);
        next.frames.unaligned.erase(frame.frame->id);
    }
    setRecipe(next, used ? tr("use frame %1").arg(frame.number) : tr("leave out frame %1").arg(frame.number));
}

void Document::removeFrame(size_t index)
{
    const BracketFrame &frame = bracket_->frames[index];
    if (frame.used && bracket_->used().size() == 1)
        return;
    Recipe next = recipe();
    next.frames.removed.insert(frame.frame->id);
    if (next.frames.reference == frame.frame->id)
        next.frames.reference.clear();
    if (next.frames.keeper == frame.frame->id)
        next.frames.keeper.clear();
    setRecipe(next, tr("remove frame %1").arg(frame.number));
}

void Document::setReference(size_t index)
{
    const BracketFrame &frame = bracket_->frames[index];
    if (!frame.used)
        return;
    Recipe next = recipe();
    next.frames.reference = frame.frame->id;
    setRecipe(next, tr("frame %1 as reference").arg(frame.number));
}

void Document::setFrameEv(size_t index, std::optional<double> ev)
{
    const BracketFrame &frame = bracket_->frames[index];
    Recipe next = recipe();
    if (ev)
        next.frames.exposure[frame.frame->id] = bracket_->anchorExposure * std::exp2(std::clamp(*ev, -25.0, 25.0));
    else
        next.frames.exposure.erase(frame.frame->id);
    setRecipe(next, tr("exposure of frame %1").arg(frame.number));
}

void Document::leaveOutDispensable()
{
    Recipe next = recipe();
    for (size_t i : coverage_.dispensable)
        next.frames.excluded.insert(bracket_->frames[i].frame->id);
    setRecipe(next, tr("leave out %1").arg(countedFrames(qsizetype(coverage_.dispensable.size()))));
}

WhitePoint Document::white() const
{
    const WhiteSettings &settings = recipe().white;
    return settings.mode == WhiteMode::AsShot      ? measured_->asShot
           : settings.mode == WhiteMode::Automatic ? measured_->automaticWhite
                                                   : WhitePoint{settings.temperature, settings.tint};
}

/// The light under which a place is neutral.
void Document::pickLight(const QPointF &position, const std::function<void(const WhitePoint &)> &take)
{
    if (!isOpen())
        return;
    std::optional<size_t> frame;
    if (const auto at = lookedAt())
        frame = size_t(bracket_->frames[*at].given) - 1;
    auto work = [sources = sources_, measured = *measured_, settings = recipe(), frame, position](ExecContext &ctx) {
        return yolk::pickLight(sources, measured, settings, frame, position.x(), position.y(), ctx);
    };
    const CodeValues colour = bracket_->frames[bracket_->reference].frame->codeValues;
    pickLane_.start<PickedLight>({}, work, [this, colour, take](Outcome<PickedLight> outcome) {
        if (!outcome.error.isEmpty())
            Q_EMIT failed(outcome.error);
        if (!outcome.result)
            return;
        if (outcome.result->clipped)
            return Q_EMIT failed(tr("This place is clipped: pick one that is less bright."));
        if (std::ranges::any_of(outcome.result->rgb, [](double v) { return v <= 0.0; }))
            return Q_EMIT failed(tr("This place is too dark to show the colour of the light: pick a brighter one."));
        take(lightOf(colour, outcome.result->rgb));
    });
}

void Document::pickWhite(const QPointF &position)
{
    pickLight(position, [this](const WhitePoint &light) {
        Recipe next = recipe();
        next.white = {WhiteMode::Own, light.temperature, light.tint};
        setRecipe(next, tr("white balance"));
    });
}

void Document::pickLamp(const QPointF &position)
{
    pickLight(position, [this](const WhitePoint &light) {
        Recipe next = recipe();
        next.lamp = {isLampMended(next.lamp) ? next.lamp.strength : 100.0, light.temperature, light.tint};
        next.groups.off.erase(groupKey(fieldOf<kLampFields, &LampSettings::strength>().group));
        setRecipe(next, tr("lamp"));
    });
}

} // namespace yolk::app
