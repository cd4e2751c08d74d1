// The window of a peek: dragged along the light scale, widened at its edges.
#include "lightscale/light_scale_p.h"
#include "theme/theme.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kEdgeReach = 9.0; // of the pointer round an edge, logical pixels

} // namespace

bool LightScale::isPeeking() const
{
    return document_->isOpen() && document_->inspection() && document_->inspection()->mode == InspectMode::Peek;
}

bool LightScale::showsTone() const
{
    const auto &look = document_->inspection();
    return !look || look->mode == InspectMode::Clipped;
}

double LightScale::evAt(double x) const
{
    const QRectF p = plot();
    return firstEv_ + (x - p.left()) / p.width() * (lastEv_ - firstEv_);
}

bool LightScale::onAxis(const QPointF &position) const
{
    return document_->isOpen() && position.x() >= kLeft && position.y() > plot().bottom();
}

LightScale::Grip LightScale::gripAt(const QPointF &position) const
{
    const Inspection &look = *document_->inspection();
    const double low = xOfEv(look.lowEv), high = xOfEv(look.highEv);
    const double toLow = std::abs(position.x() - low), toHigh = std::abs(position.x() - high);
    if (std::min(toLow, toHigh) <= kEdgeReach)
        return toLow < toHigh ? Grip::Low : Grip::High;
    return Grip::Window;
}

void LightScale::beginPeek(const QPointF &position)
{
    Inspection look = document_->lastInspection(InspectMode::Peek);
    const double ev = evAt(position.x()), width = look.highEv - look.lowEv;
    grip_ = isPeeking() ? gripAt(position) : Grip::Window;
    if (!isPeeking() || (grip_ == Grip::Window && (ev < look.lowEv || ev > look.highEv))) {
        look.lowEv = ev - width / 2.0; // the window comes to the pointer
        look.highEv = look.lowEv + width;
        document_->inspect(look);
    }
    gripOffset_ = (grip_ == Grip::High ? look.highEv : look.lowEv) - ev;
}

void LightScale::dragPeek(const QPointF &position)
{
    Inspection look = *document_->inspection();
    const double ev = std::clamp(evAt(position.x()) + gripOffset_, firstEv_ - 4.0, lastEv_);
    const double width = look.highEv - look.lowEv;
    if (grip_ == Grip::High) {
        look.highEv = std::max(ev, look.lowEv + kLeastWindowEv);
    } else if (grip_ == Grip::Low) {
        look.lowEv = std::min(ev, look.highEv - kLeastWindowEv);
    } else {
        look.lowEv = ev;
        look.highEv = ev + width;
    }
    document_->inspect(look);
}

bool LightScale::peekKey(const QKeyEvent &event)
{
    Inspection look = *document_->inspection();
    const double step = event.modifiers() & Qt::ShiftModifier ? 0.1 : 0.5;
    double move = 0.0, widen = 0.0;
    switch (event.key()) {
    case Qt::Key_Left:
        move = -step;
        break;
    case Qt::Key_Right:
        move = step;
        break;
    case Qt::Key_Up:
        widen = step;
        break;
    case Qt::Key_Down:
        widen = -step;
        break;
    default:
        return false;
    }
    look.lowEv = std::clamp(look.lowEv + move, firstEv_ - 4.0, lastEv_);
    look.highEv += move + widen;
    look.highEv = std::max(look.highEv, look.lowEv + kLeastWindowEv);
    document_->inspect(look);
    return true;
}

void LightScale::paintPeek(QPainter &painter) const
{
    const Inspection &look = *document_->inspection();
    const QRectF p = plot();
    const double low = xOfEv(look.lowEv), high = xOfEv(look.highEv);
    QColor veil = tokens().chrome;
    veil.setAlphaF(0.72f);
    painter.setClipRect(p);
    painter.setPen(Qt::NoPen);
    painter.setBrush(veil); // what the window leaves out steps back
    painter.drawRect(QRectF(QPointF(p.left(), p.top()), QPointF(low, p.bottom())));
    painter.drawRect(QRectF(QPointF(high, p.top()), QPointF(p.right() + 1, p.bottom())));
    painter.setPen(QPen(tokens().text, 1.6));
    painter.setBrush(Qt::NoBrush);
    painter.drawRoundedRect(QRectF(QPointF(low, p.top() + 1), QPointF(high, p.bottom() - 1)), 4, 4);
    painter.setClipping(false);
    const double middle = curveArea().center().y();
    for (const auto &[x, grip] : {std::pair(low, Grip::Low), std::pair(high, Grip::High)})
        if (x >= p.left() && x <= p.right())
            paintEgg(painter, {x, middle}, 16.0, dragging_ && grip_ == grip, false);
}

} // namespace yolk::app
