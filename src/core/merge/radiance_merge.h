// The merge: several exposures of one scene become one radiance image.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "frames/noise_model.h"
#include "image/image.h"

#include <bit>
#include <span>

namespace yolk {

/// One frame as the merge takes it: linear RGB of the file as 16-bit codes (io/linear_codes.h), already aligned.
struct Exposure {
    ImageView<const uint16_t> pixels; ///< width x height x 3
    double exposure = 1.0;            ///< e: against the frame whose clipping is radiance 1.0, [1e-9, 1e9]
    NoiseModel noise;
    double influence = 1.0;             ///< factor on its weight, (0, 2]
    ImageView<const uint8_t> trust{};   ///< width x height x 1, as in align/warp.h; empty: believed everywhere
    ImageView<const int8_t> movement{}; ///< a grid of Movement, which overrides trust; empty: nothing moved
    int movementCell = 1;               ///< pixels to a cell of it
};

/// A variance in 16 bits: the upper half of a float, rounded. It has the range of a float at a precision of 0.4 %; a
/// half-float would lose what lies below 6e-8.
inline uint16_t briefOf(float value)
{
    return uint16_t((std::bit_cast<uint32_t>(value) + 0x8000u) >> 16);
}
inline float ofBrief(uint16_t brief)
{
    return std::bit_cast<float>(uint32_t(brief) << 16);
}

struct Merged {
    Image<float> radiance;    ///< width x height x 3, linear; 1.0 = clipping of a frame with e = 1; finite
    Image<uint16_t> variance; ///< of the same, as briefOf(); where clipped, of the sample that was taken
    Image<uint8_t> shares;    ///< width x height x frames: share of each frame in 1/255; 0 everywhere where clipped
    Image<uint8_t> clipped;   ///< width x height x 1: 0 where some frame holds the pixel; else how far it faded to
                              ///< neutral, from 1 (not at all) to 255
};

/// Per pixel and channel the weighted mean of z / e with weights k = a * e^2 / variance(x e), a = influence * s: the
/// inverse variance under each frame's noise model, predicted from a first estimate x, so that the noise of a sample
/// does not choose its own weight. x is the mean with the weights that are best for light near the noise floor, where a
/// poor one would correlate with the frames' differences and add bias. The variance of the result is sum(a k) /
/// sum(k)^2.
/// s falls smoothly from 1 to 0 over the last 0.1 stop below a frame's clipping less 2 sigma, by the largest channel,
/// so that all channels let go together and keep their hue. What falls is judged by the estimate from this frame and
/// all that were exposed less: it is uncorrelated with the difference between them, so that letting go adds no bias
/// (judged by the frame's own value, values that noise lifted would lose their weight). Two guards for samples that are
/// not of the same light: one that is itself at clipping gets no weight, nor one where the frames exposed less show
/// light that would clip it by far, be it only that they clip (JPEG makes values below clipping beside edges and in
/// clipped areas).
/// Of frames with trust, those that hold a pixel but together show less than 0.7 of what clipped ones promise show
/// another spot: it counts as if every frame were clipped.
/// Where every frame is clipped the value is that of the least exposed one; of frames with trust, of the one that shows
/// the most light, as there is at least what each shows. A channel that still holds keeps what it says; one that is
/// lost rises to the lowest level, against white, that the others hold, and green to the geometric mean of red and blue:
/// of lights from 2500 to 20 000 K it lies at 0.9 to 1.4 of that, and a sun's rim would be magenta without it. Where all
/// three are lost they fade to neutral.
/// `neutral` is the RGB that stands for white, largest 1: (1, 1, 1) for developed files, the camera's white for raw
/// ones.
/// A frame's trust is a factor on its weight, pixel by pixel; what is not believed contradicts no other frame either.
/// Shapes:  1..64 exposures, all width x height x 3, at least 1 x 1.
/// Throws:  ArgumentError (count, shape, exposure, noise, influence or neutral out of range), Cancelled.
/// Threads: bands of rows through ctx.runner; the same bits for any runner.
/// Memory:  19 + frames bytes per pixel beyond the inputs.
/// Source:  [Hasinoff2010], [Granados2010]; derivation and bound in docs/merge.md.
Merged mergeRadiance(std::span<const Exposure> exposures, const Vector3 &neutral, ExecContext &ctx);

} // namespace yolk
