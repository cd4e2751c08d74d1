// The line between two pictures that lie over each other: dragged by its egg or anywhere along it, turned by the small
// ring at its end.
#pragma once

#include <QPointF>
#include <QPolygonF>
#include <QRectF>
#include <QSizeF>

class QPainter;

namespace yolk::app {

class SplitDivider {
public:
    enum class Grip { None, Line, Ring };

    double degrees() const { return degrees_; } ///< clockwise from upright; the first side lies left of an upright line
    void setDegrees(double degrees);            ///< any; snaps to right angles within two degrees
    void moveBy(double share);                  ///< of the pane, across the line
    QPointF middle(const QSizeF &pane) const { return {at_.x() * pane.width(), at_.y() * pane.height()}; }
    QPointF ring(const QSizeF &pane) const;

    /// The part of the pane on one side of the line.
    QPolygonF side(const QSizeF &pane, bool first) const;
    /// Whether a place lies on the first side.
    bool isFirst(const QPointF &place, const QSizeF &pane) const;

    Grip gripAt(const QPointF &place, const QSizeF &pane) const;
    void dragTo(const QPointF &place, Grip grip, const QSizeF &pane);
    void paint(QPainter &painter, const QSizeF &pane, bool live) const;
    bool operator==(const SplitDivider &) const = default;

private:
    QPointF along() const; ///< unit vector down the line
    QPointF at_{0.5, 0.5}; ///< a point of the line, in shares of the pane
    double degrees_ = 0.0;
};

} // namespace yolk::app
