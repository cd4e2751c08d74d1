// Zones whose values differ from pixel to pixel.
#pragma once

namespace yolk {

/// What ToneCurve::zoned() multiplies display light by, as stops. `tone` is log2 of display light, up to 0; `zones` are rows
/// of blacks, shadows, middle, highlights and whites, in percent. `stops` may be `tone`.
void zoneStopsRow(const float *tone, const float *const zones[5], int width, float *stops);

} // namespace yolk
