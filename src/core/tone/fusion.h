// Blended exposures: several brightnesses of one scene, each where it shows the scene best.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "image/light_grid.h"
#include "tone/tone_start.h"

#include <span>
#include <vector>

namespace yolk {

/// Exponents of the three weights.
struct FusionWeights {
    double contrast = 1.0, saturation = 1.0, exposedness = 1.0;
};

/// Exposure fusion: Laplacian pyramids of the pictures, mixed by Gaussian pyramids of their weights
/// |Laplacian|^c * (deviation of R, G and B)^s * prod exp(-(v - 0.5)^2 / (2 * 0.2^2))^e, normalised to 1 over the
/// pictures.
/// Shapes:  display-coded RGB in [0, 1], three planes, all of one shape, at least one. The result may overshoot [0, 1].
/// Throws:  ArgumentError (count, shapes), Cancelled. Memory: some 5 planes a picture.
/// Threads: one task a picture; the same bits for any runner.
/// Source:  [Mertens2007] sections 3.1 and 3.2.
Image<float> fuseExposures(std::span<const ImageView<const float>> pictures, const FusionWeights &weights,
                           ExecContext &ctx);

/// In stops, against 0 EV as middle grey: the exposures that a blend is made of. The darkest shows the brightest light
/// that is held a little below white; the brightest lies a stop over the picture's own, or where it tells the darkest
/// light from black, and goes, at range 100, to a stop over the one that shows the darkest light as middle grey.
std::vector<double> blendedExposures(const ToneSettings &settings, const ToneStart &start);

/// The small picture of a scene whose exposures are blended: stops of R, G, B and of the luminance, against 0.18.
/// Shapes: linear Rec. 2020, three planes in; four planes, at most 192 pixels long. Throws ArgumentError (shape).
Image<float> blendScene(ImageView<const float> scene);

/// Blends exposures of blendScene(), and keeps by how many stops display light differs there from scene light (EV), by
/// place and light; the second value is 0. The blend is bent by one curve: its room is as light as ToneCurve has it under
/// the global method with automatic toe and shoulder, its dark end no lighter. Light that the small picture does not show at a place differs by what lies
/// between its neighbours'. Throws ArgumentError (planes), Cancelled.
LightGrid blendGrid(ImageView<const float> stops, const ToneSettings &settings, const ToneStart &start,
                    ExecContext &ctx);

} // namespace yolk
