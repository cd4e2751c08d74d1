// From the core's pixels to pictures for the screen; called on job threads.
#pragma once

#include "frames/frame.h"
#include "image/image.h"

#include <QImage>

namespace yolk::app {

/// Display-linear sRGB in [0, 1] to an opaque 32-bit picture.
QImage screenPicture(ImageView<const float> display, ExecContext &ctx);

/// A frame as it was taken, at most `side` pixels large.
QImage frameThumbnail(const Frame &frame, int side, ExecContext &ctx);

} // namespace yolk::app
