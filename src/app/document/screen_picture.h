// From the core's pixels to pictures for the screen; called on job threads.
#pragma once

#include "colour/monitor.h"
#include "frames/frame.h"
#include "image/image.h"
#include "render/views/inspect.h"

#include <QColor>
#include <QImage>

namespace yolk::app {

/// Display-linear RGB in [0, 1] of the space that `monitor` takes to an opaque 32-bit picture; null: a monitor of that
/// space.
QImage screenPicture(ImageView<const float> display, const MonitorTransform *monitor, ExecContext &ctx);

/// An opaque 32-bit picture at another size, by straight lines between its pixels; itself at its own.
QImage enlarged(QImage picture, const QSize &size);

/// Of linear sRGB.
QColor screenColour(const Vector3 &linear);

/// Hatches what `hatch` names (of Hatch, same size): clipped and at the output's ends in
/// `overlay`, beyond a window in light or dark. `origin` is
/// where the picture begins in the pattern, so that hatching lies still while the picture is moved.
void paintHatching(QImage &picture, ImageView<const uint8_t> hatch, const QColor &overlay, const QPoint &origin);

/// Hatches the picture by a mask of its size, 0 to 1: the stripes are the wider the more of it there is.
void paintMask(QImage &picture, ImageView<const float> mask, const QColor &overlay, const QPoint &origin);

/// A frame as it was taken, merged radiance with its median at middle grey, at most `side` pixels large: from its file, or
/// from codes that were decoded before.
QImage frameThumbnail(const Frame &frame, int side, ExecContext &ctx);
QImage frameThumbnail(const Frame &frame, ImageView<const uint16_t> decoded, int side, ExecContext &ctx);

} // namespace yolk::app
