// Lines over the picture for judging it: never part of it.
#pragma once

#include <QRectF>

class QPainter;

namespace yolk::app {

enum class Guides { None, Thirds, Golden, Grid, Diagonals };

/// Within `picture`, in the painter's pixels; lines show on any picture.
void paintGuides(QPainter &painter, Guides guides, const QRectF &picture);

} // namespace yolk::app
