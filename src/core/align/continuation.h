// Carrying a flow on into places where it is not known.
#pragma once

#include "image/image.h"

namespace yolk {

/// Where `belief` (0 .. 1) falls short of 1 the flow becomes, by as much, the mean of what is believed nearby at like
/// tone: a grid over place (cells of 16 pixels) and tone (cells of one stop), in which empty cells take from coarser and
/// coarser surroundings and, far less, from neighbouring tones. Without anything believed it becomes 0.
/// Shapes: flow two planes, belief and tone (stops) one, all of one size. Threads: one. Memory: some 4 bytes a pixel.
/// Source: bilateral grid, [Chen2007]; pull and push, [Gortler1996].
void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone);

} // namespace yolk
