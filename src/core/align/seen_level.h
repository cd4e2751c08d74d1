// One level of a guide as the reference sees it.
#pragma once

#include "align/guide.h"
#include "align/transform.h"
#include "align/warp.h"

namespace yolk {

struct SeenLevel {
    Image<float> light;
    Image<uint8_t> valid;   ///< 1 where the frame does not clip
    Image<uint8_t> covered; ///< 1 where it shows something at all
};

/// The frame at toFrame(pixel) + displacement; `toFrame` and the displacements in pixels of the guide's codes. The
/// result has the size of `shape`, the level of the reference. Throws Cancelled. Threads: bands and those of OpenCV.
/// Memory: 14 bytes per pixel of the level.
SeenLevel seenLevel(const Guide &frame, int level, const Transform &toFrame, const Displacements &local, Shape shape,
                    ExecContext &ctx);

/// Displacements in the cells of `moved` (1) go on from around them as in continueFlow(): what walked about says
/// nothing of the ground it stood on. `moved` lies over the field, `cell` of the field's pixels to one of its own.
void bridge(Displacements &displacements, const Image<uint8_t> &moved, int cell, ExecContext &ctx);

} // namespace yolk
