// Single pixels, for readings under the pointer and at pinned places.
#pragma once

#include "align/transform.h"
#include "render/stages/lamp_stage.h"
#include "render/stages/merge_stage.h"

#include <span>

namespace yolk {

/// What pixels of the merge come to in the finished picture: display-linear RGB of recipe.output.space in [0, 1].
/// Places in full-resolution pixels of the reference frame; those outside take the nearest pixel. Throws as mergedOf.
std::vector<Vector3> outputAt(const Sources &sources, const Measured &measured, const Recipe &recipe, int reduction,
                              std::span<const Point> places, ExecContext &ctx);

/// Scene light of one pixel of a merge, linear Rec. 2020, under a white balance; `lamp` as lampWhiteOf() has it.
Vector3 sceneLightAt(const MergedSet &set, const Matrix3 &white, const LampWhitePtr &lamp, const RadialCurve &rim,
                     int x, int y);

} // namespace yolk
