// The arithmetic of tone mapping along a row of pixels. Light in EV is log2 over middle grey, a tone is log2 of display
// light; what is written overlaps nothing that is read unless it is the same row.
#pragma once

namespace yolk {

inline constexpr float kGreyStops = -2.47393119f; // log2 of 0.18
inline constexpr float kHeld = 0.955f;            ///< display light at which what is held ends: code 250 of 255

/// Luminance of linear Rec. 2020 in EV, held within -24 and 19; NaN counts as the least.
void evRow(const float *r, const float *g, const float *b, int width, float *ev);
/// The base, in EV, and the weighted detail on it.
void partRow(const float *ev, const float *fine, const float *local, int width, float fineWeight, float localWeight,
             float *base, float *detail);
/// Of blended exposures: the tone from stops over scene light, and that of its base.
void blendRow(const float *ev, const float *blend, const float *fine, const float *local, int width, float fineWeight,
              float localWeight, float *tone, float *base, float *detail);
/// The lightest tones run softly into kHeld.
void rollOffRow(int width, float *tone);
void addRow(const float *more, int width, float *sum);
void takeRow(const float *less, int width, float *from);
void addWeightedRow(const float *weight, const float *more, int width, float *sum);
/// From a tone and the detail on it, in stops, to display light over scene light: detail that lightens is fitted into the
/// room below kHeld.
void gainRow(const float *ev, const float *tone, const float *detail, int width, float *gain);
void plainGainRow(const float *ev, const float *tone, int width, float *gain); ///< without detail
void gainColoursRow(const float *inR, const float *inG, const float *inB, const float *gain, int width, float *outR,
                    float *outG, float *outB);
/// Scales colours so that what their largest channel lies over their luminance fits into the room below kHeld: half of
/// what is too much. Grey stays.
void dimColoursRow(float *r, float *g, float *b, int width, float weightR, float weightG, float weightB);
/// Takes colours within rounding of the cube [0, 1]^3 into it (white must stay white), and says whether something lies
/// below it or above `most`; then nothing is changed.
bool clampRounding(float *r, float *g, float *b, int count, float most);
/// What becomes of a tone under an exposure and a contrast of its own: stops round middle grey.
void contrastRow(const float *exposure, const float *contrast, float usualExposure, float usualContrast, int width,
                 float *tone);

} // namespace yolk
