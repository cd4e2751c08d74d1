// How a mask that was drawn roughly finds the edges of what it covers.
#pragma once

#include "areas/light_features.h"
#include "base/exec_context.h"
#include "image/parameter.h"

namespace yolk {

/// For every place, how much more the light there belongs to what was meant than to what lies round it: the logarithm of
/// the ratio of two likelihoods, of Gaussians of featureRow() in a window round the place. Where there is nothing to
/// compare with it is 0.
struct EdgeModel {
    static constexpr int kTerms = 1 + kFeatures + kFeatures * (kFeatures + 1) / 2;
    PixelGrid grid;     ///< of the places that were looked at
    Image<float> terms; ///< of a quadratic function of the features; no pixels: 0 everywhere
    float dark = 0.0f;  ///< for featureRow()
    size_t bytes() const { return terms.bytes(); }
};

/// Shapes:  `scene` of three planes whose pixels lie on `grid`; `meant` and `drawn` one plane of that size, 0 to 1: what
///          was surely meant, and all that was drawn over. What was not drawn over lies round it.
/// `reach`  half a side of the windows, pixels of the scene.
/// Two passes: in the second, what the first gave to one side counts as of that side.
/// Throws:  ArgumentError (shape), Cancelled. Memory: some 200 bytes per pixel of the scene.
/// Source:  our own; locally fitted models of two sides in the manner of [Rother2004], without its graph cut.
EdgeModel edgeModelOf(ImageView<const float> scene, const PixelGrid &grid, ImageView<const float> meant,
                      ImageView<const float> drawn, int reach, float dark, ExecContext &ctx);

/// What is left of a row of a mask: all of it where the model's logarithm is -1 or more, nothing from -4 down.
void keepToEdges(const EdgeModel &model, const PixelGrid &grid, int y, int width,
                 const float *const features[kFeatures], float *mask);

} // namespace yolk
