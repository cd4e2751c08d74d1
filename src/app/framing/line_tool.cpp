#include "framing/line_tool.h"

#include <QPainter>

#include <cmath>
#include <numbers>

namespace yolk::app {

LineTool::LineTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
}

void LineTool::begin()
{
    const QSizeF plane(document_->planeSize());
    from_ = {0.3 * plane.width(), 0.5 * plane.height()};
    to_ = {0.7 * plane.width(), 0.5 * plane.height()};
    byKeys_ = drawing_ = false;
    Q_EMIT changed();
}

QList<QPointF> LineTool::handles() const
{
    return {from_, to_};
}

QString LineTool::handleName(int handle) const
{
    return handle == 0 ? tr("Beginning of the line") : tr("End of the line");
}

int LineTool::gripAt(const QPointF &place, double reach) const
{
    const int handle = byKeys_ ? CanvasTool::gripAt(place, reach) : kNothing;
    return handle == kNothing ? kBody : handle; // elsewhere another one begins
}

void LineTool::take(int grip, const QPointF &place)
{
    if (grip == 0)
        std::swap(from_, to_); // the end moves
    if (grip == kBody)
        from_ = to_ = place;
    drawing_ = true;
}

void LineTool::dragTo(const QPointF &place)
{
    to_ = place;
    Q_EMIT changed();
}

void LineTool::letGo()
{
    drawing_ = false;
    accept();
}

void LineTool::step(int handle, const QPointF &by)
{
    byKeys_ = true;
    (handle == 0 ? from_ : to_) += by;
    Q_EMIT changed();
}

void LineTool::accept()
{
    constexpr double kShort = 4.0; // pixels: a click is no line
    if (std::hypot(to_.x() - from_.x(), to_.y() - from_.y()) >= kShort)
        Q_EMIT drawn(document_->toReference(from_), document_->toReference(to_));
    Q_EMIT finished();
}

void LineTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    const bool shown = drawing_ || byKeys_ || chosen >= 0;
    if (!shown)
        return;
    const QPointF a = toDevice.map(from_), b = toDevice.map(to_);
    paintLine(painter, a, b, ratio);
    if (!drawing_)
        paintHandles(painter, {a, b}, ratio, chosen);
    const double dx = to_.x() - from_.x(), dy = to_.y() - from_.y();
    if (dx == 0.0 && dy == 0.0)
        return;
    const bool upright = std::abs(dy) > std::abs(dx);
    const double off = (upright ? std::atan(dx / dy) : -std::atan(dy / dx)) * 180.0 / std::numbers::pi;
    paintWords(painter, (upright ? tr("%1° off upright") : tr("%1° off level")).arg(std::abs(off), 0, 'f', 2),
               (a.y() < b.y() ? a : b), ratio);
}

} // namespace yolk::app
