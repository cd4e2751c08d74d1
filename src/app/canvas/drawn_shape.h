// Areas that were drawn on the picture by hand.
#pragma once

#include <QPolygonF>

class QPainter;
class QTransform;

namespace yolk::app {

struct DrawnShape {
    QPolygonF points;    ///< full-resolution pixels of the picture
    double radius = 0.0; ///< of a brush, in the same; 0: the points go round an area
    bool chosen = false;
};

/// Its rim as a dark line with light dashes, seen on any picture; the chosen one is thicker. `toWidget` takes pixels of
/// the picture to the painter's.
void paintShape(QPainter &painter, const DrawnShape &shape, const QTransform &toWidget);

} // namespace yolk::app
