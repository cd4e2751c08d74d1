// Which part of the picture a pane shows, and how large: plain geometry.
#pragma once

#include "document/view_job.h"

#include <QPointF>
#include <QRectF>
#include <QSizeF>

#include <optional>

namespace yolk::app {

inline constexpr double kLeastZoom = 0.05, kMostZoom = 16.0;

struct Viewport {
    double zoom = 1.0; ///< device pixels per picture pixel
    QPointF centre;    ///< the picture position in the middle of the pane
    QSizeF pane;       ///< device pixels

    /// Of the picture, in whole device pixels of the pane, so that a rendered view is copied, not resampled.
    QPointF origin() const;
    QPointF toPicture(const QPointF &device) const { return (device - origin()) / zoom; }
    QPointF toDevice(const QPointF &picture) const { return picture * zoom + origin(); }
    QRectF toDevice(const QRectF &picture) const { return {toDevice(picture.topLeft()), picture.size() * zoom}; }

    /// The whole area with `margin` device pixels round it; `fill`: no surround is left, the longer side reaches over.
    void show(const QRectF &area, double margin, bool fill);
    /// Another zoom; what lies under `fixed` (device pixels) stays there.
    void zoomAt(double newZoom, const QPointF &fixed);
    /// Some of the area stays in view.
    void keepWithin(const QRectF &area);
    /// The visible part of the area with up to `margin` device pixels round the pane, at the size at which it is
    /// painted: device pixels, or above 100 % the picture's own pixels. Empty when nothing is visible.
    std::optional<ViewRequest> visible(const QRectF &area, double margin) const;
};

/// A part of the area as large as a pane of device pixels, or as the area, pixel by pixel, as near round a place as it can
/// be.
ViewRequest pixelView(const QRectF &area, const QPointF &place, const QSizeF &pane);

} // namespace yolk::app
