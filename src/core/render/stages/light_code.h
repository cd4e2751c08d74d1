// Light coded for averaging, so that a view looks like the finished picture made smaller.
#pragma once

#include "base/exec_context.h"
#include "colour/primaries.h"
#include "image/image.h"

namespace yolk {

/// A pixel of a view stands for many of the picture and must look like the mean of what they look like. Tone comes
/// after views, so light is averaged as log(1 + L / knee), which lies near what tone will make of it: an edge against a
/// bright window stays smooth, and a glint of one pixel does not whiten its neighbours. Channels keep their ratios.
/// NaN stays; light of no or negative luminance is averaged as it is.
class LightCode {
public:
    /// `luminance` weighs the linear channels; light far below `knee`, which is above 0, is averaged as it is.
    LightCode(const Vector3 &luminance, double knee);

    /// Pixels of a row: R, G and B, and further planes that are scaled like them. `in` and `out` may be the same.
    void code(const float *const *in, int planes, int count, float *const *out) const;
    /// Back to linear light, within 1e-5 of it; in place, three planes or more.
    void decode(ImageView<float> picture, ExecContext &ctx) const;

private:
    float perKnee_[3];
};

} // namespace yolk
