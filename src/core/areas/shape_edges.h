// The edges of what a shape was drawn over.
#pragma once

#include "areas/shape_mask.h"

namespace yolk {

/// Shapes:  `scene` of three planes, the whole of it, its pixels `step` pixels of the reference frame wide; `drawn` the shape
///          as it was drawn; `strokes` where a brush did: what lies along their middles was surely meant. Of other shapes that
///          is what they hold most of.
/// `reach`  as edgeModelOf() has it, in pixels of the reference frame.
/// Throws:  ArgumentError, Cancelled.
EdgeModel edgesOf(ImageView<const float> scene, double step, const ShapeMask &drawn, const StrokeRaster *strokes,
                  double reach, float dark, ExecContext &ctx);

} // namespace yolk
