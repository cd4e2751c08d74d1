// What tone mapping does to known scenes: the figures that tests hold and benchmarks print.
#pragma once

#include "image/image.h"
#include "tone/tone_map.h"

namespace yolk::test {

/// A whole scene under these settings, its layers found from itself. Linear Rec. 2020 in, display-linear sRGB out.
Image<float> toned(ImageView<const float> scene, const ToneSettings &settings, const ToneStart &start);

/// Two even halves whose light differs by `stops`, round `middle` EV, the edge at an angle.
Image<float> stepScene(int width, int height, double stops, double degrees, double middle = 0.0);
/// By how much the two sides of stepScene() pass the light of their plateaus, 20 % of the diagonal away from the edge:
/// the larger of both, in percent of the sRGB-coded display range.
double overshootPercent(const ToneSettings &settings, const ToneStart &start, double stops, double degrees);

/// The same and the step between the plateaus, both in percent of the display range, of an edge round `middle` EV.
struct Halo {
    double overshoot = 0.0, step = 0.0;
};
Halo haloOf(const ToneSettings &settings, const ToneStart &start, double stops, double degrees, double middle);

/// A ramp of `stops` along x: by how much its coded output falls from one pixel to a brighter one, the worst case, in
/// percent of the display range.
double reversalPercent(const ToneSettings &settings, double stops);

/// How much larger noise becomes, of a hundredth of a stop on even light at `ev` within a scene of ten stops:
/// deviations of log light, out over in.
double noiseGain(const ToneSettings &settings, double ev);
/// The same of a small difference between the middle of a patch (three pixels) and its surroundings.
double localSlope(const ToneSettings &settings, double ev);

/// The largest turn of Oklab hue, in degrees, of colours with chroma / L of 0.05 and more that stay within sRGB: even
/// patches of 36 hues and four lights between the ends of the start.
double hueTurnDegrees(const ToneSettings &settings, const ToneStart &start);

} // namespace yolk::test
