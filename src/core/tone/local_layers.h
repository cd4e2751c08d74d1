// How the light of a scene parts into layers: a base that keeps edges, local contrast on it, and fine detail.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "image/light_grid.h"

#include <span>

namespace yolk {

/// Fine detail and local contrast of any light at any place, in stops; what is left of the light is its base.
///   F_k(p, v) = G_k * f(v - I), f(d) = d / sqrt(1 + (d / s)^2): by how much v differs from what is like it around
///   fine(p, v) = F_1(p, v)
///   local(p, v) = sum over k of F_k+1(p, r_k) - F_k(p, r_k), r_k = v - F_k(p, v)
/// I is the light of the scene in stops; G are Gaussians of 0.6, 2, 6 and 18 % of its longer side (widened by the grid's
/// own steps), and the mean of the whole picture, F_5. What differs by less than s, 1.5 stops, counts as detail at whatever
/// size; of what differs by more the rest is an edge and stays in the base. f rises everywhere, so that brighter light
/// stays brighter whatever is made of the base. Every band is seen from the base of the one below, so
/// that texture is kept in full wherever it lies; and as the bands telescope up to the whole picture, the two sides of
/// an edge keep the same distance near it and far from it: no halo grows. Far from all edges what is not base is F_5(v),
/// see detailOfPicture().
/// Shapes: `ev` in stops, one plane, at least 1 x 1, of the whole scene; `longest` stops are looked at, upwards from
/// `lowest`, and light beyond counts as the end's. NaN counts as the lowest.
/// Throws: ArgumentError (shape, longest), Cancelled. Threads: one task a light; the same bits for any runner.
/// Memory: some 50 MiB.
/// Source: local Laplacian filters [Paris2011], whose bands are taken from remapped pictures round a reference light, in
/// the grid of [Chen2007].
LightGrid localLayers(ImageView<const float> ev, double lowest, double longest, ExecContext &ctx);

/// F_5 above of a picture, from quantiles of its light at equal shares: what large even areas of a light differ by.
double detailOfPicture(std::span<const double> quantiles, double ev);

/// The small picture that layers are found from: the scene made smaller so that its longer side is at most `side`.
/// Values are averaged as they are. Shapes: as many planes out as in.
Image<float> shrunk(ImageView<const float> picture, int side);

} // namespace yolk
