// The noise of one frame's linear values: what weights the merge and where a frame's signal drowns.
#pragma once

#include <cmath>

namespace yolk {

/// Variance of a linear value z (0 black, 1 clipping of its frame): gain * max(z, 0) + readVariance.
/// Source: [Foi2008], without its clipping part.
struct NoiseModel {
    double gain = 4e-5;         ///< variance per unit of signal
    double readVariance = 1e-7; ///< at black
    bool operator==(const NoiseModel &) const = default;

    double variance(double z) const { return gain * (z > 0.0 ? z : 0.0) + readVariance; }
    /// The value whose signal-to-noise ratio is `snr`: z / sqrt(variance(z)) = snr.
    double levelOfSnr(double snr) const
    {
        const double half = gain * snr * snr / 2.0;
        return half + std::sqrt(half * half + readVariance * snr * snr);
    }
};

/// A default for developed files, before anything is measured: a sensor of 25 000 electrons and 4 electrons read
/// noise at ISO 100 (common practice, no published source), both scaled by ISO, plus the quantisation of code values
/// coded with a power near 2.2: its variance (dz/dv)^2 / (12 n^2) is close to proportional to z, so it adds to the
/// gain, and to the read variance what the linear toe of the curve leaves.
NoiseModel defaultNoise(int bits, double iso);
/// The same sensor for raw files, whose `bits` are linear.
NoiseModel defaultRawNoise(int bits, double iso);

} // namespace yolk
