#include "frames/noise_model.h"

#include <algorithm>

namespace yolk {

namespace {

/// Shot and read noise of the sensor, before anything is quantised.
NoiseModel sensorNoise(double iso)
{
    const double gainSteps = std::clamp(iso / 100.0, 0.25, 1024.0);
    constexpr double kFullWell = 25000.0, kReadElectrons = 4.0;
    const double read = kReadElectrons * gainSteps / kFullWell;
    return {gainSteps / kFullWell, read * read};
}

} // namespace

NoiseModel defaultNoise(int bits, double iso)
{
    const double codes = bits >= 16 ? 65535.0 : 255.0;
    constexpr double kPower = 2.2, kToeSlope = 1.0 / 12.92; // dz/dv of sRGB at black
    const double step = kToeSlope / codes;
    NoiseModel out = sensorNoise(iso);
    out.gain += kPower * kPower / (12.0 * codes * codes);
    out.readVariance += step * step / 12.0;
    return out;
}

NoiseModel defaultRawNoise(int bits, double iso)
{
    const double step = std::exp2(-std::clamp(bits, 8, 16));
    NoiseModel out = sensorNoise(iso);
    out.readVariance += step * step / 12.0;
    return out;
}

} // namespace yolk
