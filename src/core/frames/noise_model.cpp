#include "frames/noise_model.h"

#include "colour/transfer.h"

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

NoiseModel defaultNoise(int bits, double iso, double codingVariance, const std::function<double(double y)> &lightOf)
{
    const double codes = bits >= 16 ? 65535.0 : 255.0;
    const double variance = codingVariance / (codes * codes);
    const auto lightOfCode = [&](double v) {
        const double y = decodeSrgb(v);
        return lightOf ? lightOf(y) : y;
    };
    const auto slopeAt = [&](double v) {
        constexpr double kStep = 1e-3;
        return (lightOfCode(v + kStep) - lightOfCode(v - kStep)) / (2.0 * kStep);
    };
    NoiseModel out = sensorNoise(iso);
    const double toe = slopeAt(0.02); // of the linear part
    out.readVariance += toe * toe * variance;
    // The mean over the upper six stops, evenly in the logarithm: what weights and limits are made of.
    constexpr int kSamples = 24;
    double sum = 0.0;
    for (int i = 0; i < kSamples; ++i) {
        const double v = encodeSrgb(0.97 * std::exp2(-6.0 * i / kSamples)), slope = slopeAt(v);
        sum += std::max(0.0, slope * slope - toe * toe) / lightOfCode(v);
    }
    out.gain += variance * sum / kSamples;
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
