#include "canvas/drawn_shape.h"

#include <QPainter>
#include <QPainterPath>
#include <QPainterPathStroker>
#include <QTransform>

namespace yolk::app {

void paintShape(QPainter &painter, const DrawnShape &shape, const QTransform &toWidget)
{
    if (shape.points.isEmpty())
        return;
    QPainterPath path;
    if (shape.radius > 0.0) {
        QPainterPath line(shape.points.front());
        for (const QPointF &p : shape.points)
            line.lineTo(p);
        if (shape.points.size() == 1)
            line.lineTo(shape.points.front() + QPointF(0.01, 0));
        QPainterPathStroker stroker;
        stroker.setWidth(2.0 * shape.radius);
        stroker.setCapStyle(Qt::RoundCap);
        stroker.setJoinStyle(Qt::RoundJoin);
        path = stroker.createStroke(line).simplified();
    } else {
        path.addPolygon(shape.points);
        path.closeSubpath();
    }
    path = toWidget.map(path);
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    const double width = shape.chosen ? 2.5 : 1.5;
    painter.setPen(QPen(QColor(0, 0, 0, 190), width + 1.5));
    painter.drawPath(path);
    QPen dashes(Qt::white, width);
    dashes.setDashPattern({4.0, 3.0});
    painter.setPen(dashes);
    painter.drawPath(path);
    painter.restore();
}

} // namespace yolk::app
