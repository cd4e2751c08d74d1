// Comparers: "pass if error <= limit", so that NaN fails; they report the worst pixel.
#pragma once

#include "image/image.h"

#include <QByteArray>

namespace yolk::test {

/// Empty when every sample of `got` lies within absolute + relative * |want| of `want`; else what is wrong and where.
QByteArray firstDifference(ImageView<const float> got, ImageView<const float> want, double absolute, double relative);
/// Empty when the bytes are equal.
QByteArray firstDifference(ImageView<const uint8_t> got, ImageView<const uint8_t> want);
QByteArray firstDifference(ImageView<const uint16_t> got, ImageView<const uint16_t> want, int limit = 0);

/// Root mean square of log2(scale * got / want) over the pixels that `counts` names, with the one scale that fits best
/// (the mean of the logarithms). Pixels that are not positive count as 20 stops off.
double rmsStops(ImageView<const float> got, ImageView<const float> want, ImageView<const uint8_t> counts);

} // namespace yolk::test
