// How the light of a scene parts into layers: a base that keeps edges, local contrast on it, and fine detail.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "tone/light_grid.h"

namespace yolk {

/// Fine detail and local contrast of any light at any place, in stops; what is left of the light is its base.
///   fine(p, v) = G_1 * f(v - I),  local(p, v) = (G_2 + G_3) / 2 * f(v - I) - fine(p, v),  f(d) = d / (1 + d^2)
/// I is the light of the scene in stops, G are Gaussians of 0.6, 2 and 6 % of its longer side (kept odd by the grid's
/// own steps). A difference of a stop counts as detail, one of six stops hardly does: it is an edge and stays in the
/// base, so that no halo grows beside it. The slope of f lies between -1/8 and 1: where the base is squeezed to a
/// quarter and detail is at most doubled, brighter light always stays brighter, whatever surrounds it.
/// Shapes: `ev` in stops, one plane, at least 1 x 1, of the whole scene; `longest` stops are looked at, upwards from
/// `lowest`, and light beyond counts as the end's. NaN counts as the lowest.
/// Throws: ArgumentError (shape, longest), Cancelled. Threads: one task a light; the same bits for any runner.
/// Memory: some 15 MiB.
/// Source: the unnormalised bilateral filter of [Durand2002] with the error norm of [Perona1990], in the grid of
/// [Chen2007]; several scales as in [Farbman2008].
LightGrid localLayers(ImageView<const float> ev, double lowest, double longest, ExecContext &ctx);

/// The small picture that layers are found from: the scene made smaller so that its longer side is at most `side`.
/// Values are averaged as they are. Shapes: as many planes out as in.
Image<float> shrunk(ImageView<const float> picture, int side);

} // namespace yolk
