// What areas show on the light scale: the hill of the chosen one, and the span of one that is made of stops.
#include "lightscale/light_scale_p.h"
#include "theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kGripReach = 9.0; // of the pointer round an end, logical pixels
constexpr double kUp = 12.0;       // of the eggs over the axis, below the handles of the zones
constexpr double kLeastSpan = 0.1; // EV

} // namespace

const AreaShape *LightScale::span() const
{
    const Areas *areas = document_->areas();
    const Area *area = document_->isOpen() && areas->isShown() ? areas->chosen() : nullptr;
    if (!area || area->shapes.empty())
        return nullptr;
    const AreaShape &shape = area->shapes[size_t(areas->chosenShape())];
    return isStops(shape) ? &shape : nullptr;
}

QPointF LightScale::spanEnd(bool high) const
{
    const AreaShape *shape = span();
    return shape ? QPointF(xOfEv(high ? shape->high : shape->low), curveArea().bottom() - kUp) : QPointF();
}

LightScale::Grip LightScale::spanGripAt(const QPointF &position) const
{
    if (!span())
        return Grip::None;
    const auto away = [&](bool high) {
        const QPointF d = spanEnd(high) - position;
        return std::hypot(d.x(), d.y());
    };
    if (std::min(away(false), away(true)) <= kGripReach)
        return away(false) < away(true) ? Grip::Low : Grip::High;
    const bool within = position.x() > spanEnd(false).x() && position.x() < spanEnd(true).x();
    return within && std::abs(position.y() - spanEnd(false).y()) <= kGripReach ? Grip::Window : Grip::None;
}

void LightScale::dragSpan(const QPointF &position)
{
    const AreaShape *shape = span();
    if (!shape)
        return;
    Areas *areas = document_->areas();
    Area next = *areas->chosen();
    AreaShape &to = next.shapes[size_t(areas->chosenShape())];
    const auto &low = fieldOf<kShapeFields, &AreaShape::low>();
    const double ev = std::clamp(evAt(position.x()) + gripOffset_, low.minimum, low.maximum);
    if (spanGrip_ == Grip::High) {
        to.high = std::max(ev, shape->low + kLeastSpan);
    } else if (spanGrip_ == Grip::Low) {
        to.low = std::min(ev, shape->high - kLeastSpan);
    } else {
        to.low = std::min(ev, low.maximum - (shape->high - shape->low));
        to.high = to.low + (shape->high - shape->low);
    }
    areas->set(areas->chosenIndex(), std::move(next), tr("span of stops"), gesture_);
}

void LightScale::paintSpan(QPainter &painter) const
{
    const AreaShape *shape = span();
    if (!shape)
        return;
    const QRectF area = curveArea();
    const double base = spanEnd(false).y();
    // How much of a light belongs to it, as a line: flat over the span, falling over its soft ends.
    QPainterPath line;
    for (double x = area.left(); x <= area.right(); x += 2.0) {
        const double ev = evAt(x);
        const double beyond = std::max({shape->low - ev, ev - shape->high, 0.0}) / std::max(shape->soft, 0.05);
        const double t = std::clamp(beyond, 0.0, 1.0), share = 1.0 - t * t * (3.0 - 2.0 * t);
        const QPointF at(x, area.bottom() - 2.0 - share * kUp);
        x == area.left() ? line.moveTo(at) : line.lineTo(at);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(document_->overlayColour(), 2.0));
    painter.drawPath(line);
    for (const bool high : {false, true})
        if (const double x = spanEnd(high).x(); x >= area.left() && x <= area.right())
            paintEgg(painter, {x, base}, 15.0, dragging_ && spanGrip_ == (high ? Grip::High : Grip::Low), false);
}

} // namespace yolk::app
