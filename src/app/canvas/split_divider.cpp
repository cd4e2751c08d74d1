#include "canvas/split_divider.h"

#include "theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::app {
namespace {

constexpr double kReach = 7.0, kRingAway = 92.0, kRingRadius = 7.0; // logical pixels
constexpr double kSnap = 2.0;                                       // degrees
constexpr double kLeast = 0.02; // of the pane, from its rim: the line can always be taken hold of

double dot(const QPointF &a, const QPointF &b)
{
    return QPointF::dotProduct(a, b);
}

} // namespace

void SplitDivider::setDegrees(double degrees)
{
    degrees_ = std::remainder(degrees, 360.0);
    const double right = 90.0 * std::round(degrees_ / 90.0);
    if (std::abs(degrees_ - right) < kSnap)
        degrees_ = right;
}

void SplitDivider::moveBy(double share)
{
    const QPointF normal(along().y(), -along().x());
    at_ += share * normal;
    at_ = {std::clamp(at_.x(), kLeast, 1.0 - kLeast), std::clamp(at_.y(), kLeast, 1.0 - kLeast)};
}

QPointF SplitDivider::along() const
{
    const double a = degrees_ * std::numbers::pi / 180.0;
    return {-std::sin(a), std::cos(a)};
}

QPointF SplitDivider::ring(const QSizeF &pane) const
{
    const double away = std::min(kRingAway, 0.35 * std::min(pane.width(), pane.height()));
    return middle(pane) + away * along();
}

bool SplitDivider::isFirst(const QPointF &place, const QSizeF &pane) const
{
    const QPointF d = place - middle(pane), l = along();
    return d.x() * l.y() - d.y() * l.x() < 0.0;
}

QPolygonF SplitDivider::side(const QSizeF &pane, bool first) const
{
    const QPointF l = along(), across(first ? -l.y() : l.y(), first ? l.x() : -l.x());
    const double far = 2.0 * (pane.width() + pane.height());
    const QPointF m = middle(pane);
    const QPolygonF half{{m - far * l, m + far * l, m + far * l + far * across, m - far * l + far * across}};
    return half.intersected(QPolygonF(QRectF(QPointF(0, 0), pane)));
}

SplitDivider::Grip SplitDivider::gripAt(const QPointF &place, const QSizeF &pane) const
{
    const QPointF toRing = place - ring(pane);
    if (std::hypot(toRing.x(), toRing.y()) <= kRingRadius + 4.0)
        return Grip::Ring;
    const QPointF d = place - middle(pane), l = along();
    return std::abs(d.x() * l.y() - d.y() * l.x()) <= kReach ? Grip::Line : Grip::None;
}

void SplitDivider::dragTo(const QPointF &place, Grip grip, const QSizeF &pane)
{
    const QPointF d = place - middle(pane);
    if (grip == Grip::Ring && std::hypot(d.x(), d.y()) > 4.0) {
        setDegrees(std::atan2(-d.x(), d.y()) * 180.0 / std::numbers::pi);
    } else if (grip == Grip::Line) {
        const QPointF normal(along().y(), -along().x()); // moving along itself changes nothing to see
        const QPointF to = middle(pane) + dot(d, normal) * normal;
        at_ = {std::clamp(to.x() / pane.width(), kLeast, 1.0 - kLeast),
               std::clamp(to.y() / pane.height(), kLeast, 1.0 - kLeast)};
    }
}

void SplitDivider::paint(QPainter &painter, const QSizeF &pane, bool live) const
{
    const QPointF m = middle(pane), l = along();
    const double far = pane.width() + pane.height();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(QColor(30, 30, 29, 160), 3.0)); // seen on any picture
    painter.drawLine(m - far * l, m + far * l);
    painter.setPen(QPen(QColor(245, 244, 240), 1.2));
    painter.drawLine(m - far * l, m + far * l);
    painter.setPen(QPen(QColor(30, 30, 29), 1.4));
    painter.setBrush(QColor(245, 244, 240));
    painter.drawEllipse(ring(pane), kRingRadius, kRingRadius);
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(ring(pane), kRingRadius - 3.5, kRingRadius - 3.5);
    painter.restore();
    paintEgg(painter, m, 22.0, live, false);
}

} // namespace yolk::app
