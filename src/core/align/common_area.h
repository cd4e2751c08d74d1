// What all frames of a set show.
#pragma once

#include "align/transform.h"
#include "image/image.h"

#include <span>

namespace yolk {

/// Another frame: from the reference to it, and its size.
struct Placed {
    Transform toFrame;
    int width = 0, height = 0;
};

/// The largest rectangle of whole pixels with the proportions' freedom of growing from the middle: starting from all of
/// the reference frame, the side that costs least is moved in until no pixel centre of the rim lies outside any frame.
/// At least 1 x 1, in the middle. Throws ArgumentError (empty reference).
Rect commonArea(int width, int height, std::span<const Placed> frames);

} // namespace yolk
