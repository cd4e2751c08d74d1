// What the automatic start makes of a scene of which everything is held: what it loses, what it keeps, how light it is.
#pragma once

#include "image/image.h"

namespace yolk::test {

struct StartFigures {
    double lost = 0.0;   ///< share of the pixels: a channel at 250 or more of 255, and kept contrast there below 0.1
    double white = 0.0;  ///< share of the pixels: a channel at 255
    double black = 0.0;  ///< share of the pixels: all channels at 0
    double bright = 1.0; ///< kept contrast of the brightest 5 % of the pixels
    double dark = 1.0;   ///< of the darkest 5 %
    double rest = 1.0;   ///< of the others
    double all = 1.0;    ///< of all
    double straightest = 1.0; ///< what a straight line in log light between the same ends (1 and 99.9 %) would keep
    double room = 0.0;        ///< mean lightness of the pixels between the 10 and 70 % quantiles of light
    double low = 0.0;         ///< lightness: 1st percentile
    double high = 100.0;      ///< lightness: 99th percentile
    double span = 0.0;        ///< stops from the 1st to the 99th percentile of light
    double reversed = 0.0;    ///< share of the gradients over 0.1 stop per 1 % of the width, after a blur of 4 % of it
};

/// Kept contrast is the sum of absolute differences of Gaussians of 1 and 6 pixels, of log2 of luminance, in pictures
/// at most 500 pixels long, display over scene; display light counts as at least 2^-12.
/// Shapes: linear Rec. 2020 and the display-linear sRGB made from it, three planes, of one size.
StartFigures startFigures(ImageView<const float> scene, ImageView<const float> display);

/// The square part of a scene round its brightest light of which what lies within three stops of it fills about
/// `share`, as far as the scene allows.
Image<float> cropRoundLight(ImageView<const float> scene, double share);

} // namespace yolk::test
