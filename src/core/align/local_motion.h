// What no single transform explains: near things move further than far ones when the camera does.
#pragma once

#include "align/foretold_flow.h"
#include "align/guide.h"
#include "align/transform.h"
#include "align/warp.h"

#include <span>

namespace yolk {

/// Finds the displacements of one frame after the other, from the reference outwards, darker ones first: each is
/// compared with what the reference and the frames before it show together, so that light that clips in the reference
/// is known from the darker frame when the next one comes.
/// Dense optical flow between pictures that are cut at the same light on both sides, so that clipping is no edge of its
/// own. It is believed where both hold light and texture and where going there and back ends at the same place.
/// Elsewhere displacements continue from believed places nearby of like light: a bright yard, clipped in the reference,
/// moves with its own horizon and not with the dark door frame before it.
/// Source: DIS, [Kroeger2016]; the continuation is a bilateral grid, [Chen2007], filled by pull and push.
class LocalMotion {
public:
    /// Works on one level of the guides.
    LocalMotion(const Guide &reference, int level);

    /// `toFrame` in pixels of the guides' codes, as are the displacements. Throws Cancelled. Threads: bands and those
    /// of OpenCV; the same bits for any number. Memory: some 60 bytes per pixel of the level, and 12 for each frame.
    void find(const Guide &frame, const Transform &toFrame, ExecContext &ctx);

    /// To the end, for the frame that was found as the `found`th, from 0 on, once all have been: what the flows of
    /// those found before and after it foretell is taken where it explains better what is seen.
    Displacements finish(size_t found, const Guide &frame, const Transform &toFrame, ExecContext &ctx);

private:
    struct Seen;
    Seen seenBy(const Guide &frame, const Transform &toFrame, ExecContext &ctx) const;
    BelievedFlow firstFlow(const Seen &seen, ExecContext &ctx) const;
    Displacements settled(const Guide &frame, const Seen &seen, std::span<const Image<float>> offered,
                          std::span<const int> reaches, Image<float> &flow, ExecContext &ctx);
    void learn(const Guide &from, const Image<float> &light, const Image<uint8_t> &valid, double clipping);
    Image<float> noiseOf(const Guide &frame, const Image<float> &seen, double offset, ExecContext &ctx) const;
    int level_;
    Image<float> light_; // of what is known so far; where nothing is, at least that
    Image<uint8_t> valid_;
    double clipping_;       // light from which on nothing is known
    double darkSigma_;      // noise of the reference in the dark
    Image<float> variance_; // of light_
    std::vector<BelievedFlow> found_;
};

} // namespace yolk
