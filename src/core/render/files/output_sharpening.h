// The last sharpening, by what the file is for.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

namespace yolk {

/// Unsharp masking of the light of a finished picture: how wide the blur is, in pixels, and how much of what it takes is
/// given back once more.
struct SharpeningStrength {
    double sigma = 0.0, amount = 0.0;
    bool isNone() const { return sigma <= 0.0 || amount <= 0.0; }
};

/// For a screen: what a tent filter took of a picture that was made smaller `reduction` times, sinc^2 of the frequency, is
/// given back at a quarter of the sampling rate; nothing where nothing was made smaller, part of it up to 2.
SharpeningStrength sharpeningForScreen(double reduction);
/// For paper: against ink that spreads by some 0.05 mm. Common practice, no published source.
SharpeningStrength sharpeningForPaper(double pixelsPerInch);

/// In place, on luminance in the code of CIE lightness, whose ratio then multiplies the channels; results stay within what
/// their 3 x 3 neighbours span, widened by an eighth of it on each side, so that edges get no rims, and within [0, top].
void sharpenOutput(Image<float> &display, const std::array<double, 3> &luminance, const SharpeningStrength &strength,
                   double top, ExecContext &ctx);

} // namespace yolk
