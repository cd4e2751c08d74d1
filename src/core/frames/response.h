// What a camera's development does to light before it codes it, found from the set itself.
#pragma once

#include "frames/exposure_ratio.h"

#include <array>
#include <cstdint>

namespace yolk {

/// A curve from what the file's profile decodes to, y, to the light that fell in, z; both 0 at black and 1 at clipping.
/// z = y * 2^h(sqrt(y)) with h linear between kKnots knots and h(1) = 0. One curve for all three channels.
struct Response {
    static constexpr int kKnots = 33;
    std::array<double, kKnots> bend{}; ///< h in EV at sqrt(y) = i / (kKnots - 1); all 0: the profile says all
    bool fitted = false;               ///< false: the profile's own curve is used
    double disagreementBefore = 0.0;   ///< RMS of the frames about each other's light, EV, by the profile's curve
    double disagreementAfter = 0.0;    ///< the same by the fitted one, whether it was taken or not
    bool operator==(const Response &) const = default;

    double lightOf(double y) const; ///< z for y in any range; linear below 0, identical above 1
    /// Linear codes by the profile to linear codes by the response, for every code.
    std::vector<uint16_t> table() const;
};

/// Pixels of like rank in two neighbouring frames: y in the darker one, y in the brighter one.
using MatchedLight = std::vector<std::array<float, 2>>;

/// Matches the light of two frames by rank, over small blocks that are flat in both: the k-th darkest block of one is
/// the k-th darkest of the other, however exactly the frames lie on each other. Values that either frame does not hold
/// are left out. Shapes: linear codes of one shape, three planes. Throws ArgumentError.
/// Source: [GrossbergNayar2003], with blocks in place of pixels.
MatchedLight matchedLight(ImageView<const uint16_t> dark, ImageView<const uint16_t> bright);

struct FittedResponse {
    Response response;
    std::vector<ExposureStep> steps; ///< between neighbours, as the fit sees them; empty steps where nothing matched
};
/// Fits curve and exposure steps together: log2 z(bright) - log2 z(dark) = step, least squares over all matches with a
/// smooth bend, outliers reweighted. `stated[i]` is what metadata say of frame i, log2 of its exposure, `statedError`
/// in EV how sure they are; where nothing is stated, smoothness alone parts the curve from the steps. Accepted
/// (`fitted`) when the curve is monotone and lowers the disagreement by three tenths and by 0.01 EV at least.
/// Shapes: one more frame than lists of matches. Throws ArgumentError.
/// Source: [DebevecMalik1997] equation 3 in the logarithm, smooth bends as there; a bend of the profile's curve in
/// place of a free curve.
FittedResponse fitResponse(std::span<const MatchedLight> matches, std::span<const std::optional<double>> stated,
                           double statedError);

} // namespace yolk
