#include "canvas/viewport.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {

QPointF Viewport::origin() const
{
    return {std::round(pane.width() / 2 - centre.x() * zoom), std::round(pane.height() / 2 - centre.y() * zoom)};
}

void Viewport::show(const QRectF &area, double margin, bool fill)
{
    const QSizeF room = fill ? pane : pane - QSizeF(2 * margin, 2 * margin);
    const double across = room.width() / area.width(), down = room.height() / area.height();
    zoom = std::clamp(fill ? std::max(across, down) : std::min(across, down), 1e-3, kMostZoom);
    centre = area.center();
}

void Viewport::zoomAt(double newZoom, const QPointF &fixed)
{
    const QPointF under = toPicture(fixed);
    zoom = std::clamp(newZoom, kLeastZoom, kMostZoom);
    for (const double exact : {1.0, 2.0}) // true pixels are easy to hit
        if (std::abs(zoom / exact - 1.0) < 0.02)
            zoom = exact;
    centre = under + (QPointF(pane.width() / 2, pane.height() / 2) - fixed) / zoom;
}

void Viewport::keepWithin(const QRectF &area)
{
    centre.setX(std::clamp(centre.x(), area.left(), area.right()));
    centre.setY(std::clamp(centre.y(), area.top(), area.bottom()));
}

std::optional<ViewRequest> Viewport::visible(const QRectF &area, double margin) const
{
    const QPointF o = origin();
    const double x0 = std::max(-margin, std::round(o.x() + area.left() * zoom));
    const double y0 = std::max(-margin, std::round(o.y() + area.top() * zoom));
    const double x1 = std::min(pane.width() + margin, std::round(o.x() + area.right() * zoom));
    const double y1 = std::min(pane.height() + margin, std::round(o.y() + area.bottom() * zoom));
    if (x1 <= x0 || y1 <= y0)
        return std::nullopt;
    QRectF region(QPointF((x0 - o.x()) / zoom, (y0 - o.y()) / zoom), QPointF((x1 - o.x()) / zoom, (y1 - o.y()) / zoom));
    QSize size(int(x1 - x0), int(y1 - y0));
    if (zoom > 1.0) { // enlarged when painting
        region = QRectF(QPointF(std::floor(region.left()), std::floor(region.top())),
                        QPointF(std::ceil(region.right() - 1e-6), std::ceil(region.bottom() - 1e-6)))
                     .intersected(area);
        size = region.size().toSize();
    }
    return ViewRequest{region, size};
}

ViewRequest pixelView(const QRectF &area, const QPointF &place, const QSizeF &pane)
{
    const QSize size = pane.boundedTo(area.size()).toSize();
    QRectF region(QPointF(0, 0), QSizeF(size));
    region.moveCenter(place);
    region.moveLeft(std::clamp(std::round(region.left()), area.left(), area.right() - size.width()));
    region.moveTop(std::clamp(std::round(region.top()), area.top(), area.bottom() - size.height()));
    return {region, size};
}

} // namespace yolk::app
