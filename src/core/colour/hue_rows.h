// Hues of whole rows.
#pragma once

namespace yolk {

/// Degrees from a towards b, -180 to 180; 0 of grey. Within 0.002 degrees. Source: [AbramowitzStegun1964] 4.4.49.
void hueRow(const float *a, const float *b, int count, float *hue);

} // namespace yolk
