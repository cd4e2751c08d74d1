// The noise of one frame's linear values: what weights the merge and where a frame's signal drowns.
#pragma once

#include <cmath>
#include <functional>

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

/// Of a code value that was rounded to whole codes.
inline constexpr double kRounding = 1.0 / 12.0;

/// A default for developed files, before anything is measured: a sensor of 25 000 electrons and 4 electrons read
/// noise at ISO 100 (common practice, no published source), both scaled by ISO, plus what coding leaves:
/// `codingVariance`, in squares of a code, through the slopes of sRGB and of what the camera does to light y of the
/// profile before that (`lightOf`; empty: nothing). That is close to proportional to light, so it adds to the gain, and
/// to the read variance what the linear toe of sRGB leaves.
NoiseModel defaultNoise(int bits, double iso, double codingVariance = kRounding,
                        const std::function<double(double y)> &lightOf = {});
/// The same sensor for raw files, whose `bits` are linear.
NoiseModel defaultRawNoise(int bits, double iso);

} // namespace yolk
