// What no single transform explains: near things move further than far ones when the camera does.
#pragma once

#include "align/guide.h"
#include "align/transform.h"
#include "align/warp.h"

namespace yolk {

/// Finds the displacements of one frame after the other, from the reference outwards, darker ones first: each is compared
/// with what the reference and the frames before it show together, so that light that clips in the reference is known from the darker
/// frame when the next one comes.
/// Dense optical flow between pictures that are cut at the same light on both sides, so that clipping is no edge of its
/// own; then only where going there and back ends at the same place, and where it brings the frame nearer. Elsewhere the
/// displacements of the surroundings continue.
/// Source: DIS, [Kroeger2016].
class LocalMotion {
public:
    /// Works on one level of the guides. `reference` must outlive nothing.
    LocalMotion(const Guide &reference, int level, ExecContext &ctx);

    /// `toFrame` in pixels of the guides' first level, as are the displacements. Empty where none are worth it.
    Displacements find(const Guide &frame, const Transform &toFrame, ExecContext &ctx);

private:
    int level_;
    Image<float> light_; // of what is known so far
    Image<uint8_t> valid_;
    double clipping_ = 0.0;  // light from which on nothing is known
    double darkSigma_ = 0.0; // noise of the reference in the dark
};

} // namespace yolk
