#include "frames/noise_model.h"

#include <algorithm>

namespace yolk {

NoiseModel defaultNoise(int bits, double iso)
{
    const double gainSteps = std::clamp(iso / 100.0, 0.25, 1024.0);
    constexpr double kFullWell = 25000.0, kReadElectrons = 4.0;
    const double codes = bits >= 16 ? 65535.0 : 255.0;
    constexpr double kPower = 2.2, kToeSlope = 1.0 / 12.92; // dz/dv of sRGB at black
    NoiseModel out;
    out.gain = gainSteps / kFullWell + kPower * kPower / (12.0 * codes * codes);
    const double read = kReadElectrons * gainSteps / kFullWell, step = kToeSlope / codes;
    out.readVariance = read * read + step * step / 12.0;
    return out;
}

} // namespace yolk
