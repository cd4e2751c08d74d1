// What a camera's development does to light before it codes it, found from the set itself.
#pragma once

#include "base/exec_context.h"
#include "frames/places.h"

#include <array>
#include <cstdint>
#include <optional>

namespace yolk {

/// How a curve came to be.
enum class ResponseVerdict {
    NothingToCompare, ///< raw or linear files, or too little that two frames both hold
    ProfileAgrees,    ///< the frames agree by the profile's curve as well as they can be expected to
    Unsure,           ///< a curve would bring them nearer, but not beyond chance, or not the same one everywhere
    Found,            ///< a curve brings blocks nearer that it was not fitted to
};

/// A curve from what the file's profile decodes to, y, to the light that fell in, z; both 0 at black and 1 at clipping.
/// z = y * 2^h(sqrt(y)) with h linear between kKnots knots and h(1) = 0. One for each channel; mostly the same.
struct Response {
    static constexpr int kKnots = 33;
    using Bend = std::array<double, kKnots>;
    std::array<Bend, 3> bend{}; ///< h in EV at sqrt(y) = i / (kKnots - 1); all 0: the profile says all
    bool fitted = false;        ///< there is a curve that a camera might have; false: only the profile's
    bool byChannel = false;     ///< the channels differ
    ResponseVerdict verdict = ResponseVerdict::NothingToCompare;
    double disagreementBefore = 0.0; ///< RMS of places about each other's light, EV, by the profile's curve
    double disagreementAfter = 0.0;  ///< the same by the fitted one, at places that it was not fitted to; taken or not
    bool operator==(const Response &) const = default;

    double lightOf(double y, int channel = 1) const; ///< z for y in any range; linear below 0, identical above 1
    double valueOf(double z, int channel = 1) const; ///< the inverse of a curve that rises, within 1e-6 of y
};

/// Which curve counts.
enum class ResponseChoice { AsProfile, Automatic, Fitted };
/// Whether the fitted one does.
bool isTaken(const Response &response, ResponseChoice choice);

/// A place as two frames show it; linear values by the profile.
struct LightPair {
    size_t dark = 0, bright = 0; ///< frames, in the order that fitResponse() counts them in
    int channel = 1;
    int tile = 0; ///< of the picture
    float darkLight = 0.0f, brightLight = 0.0f;
    float error = 1.0f; ///< standard error of log2 of their ratio, EV
};

/// Places that two frames both hold, few enough and spread evenly over the brighter frame's values, the evenest first.
/// `noise` is a frame's standard deviation of a single pixel over its value, as a function of the value; `codeStep` what
/// a code of the file is worth, as a share of all. Threads: through ctx.runner.
std::vector<LightPair> lightPairs(std::span<const std::vector<PlaceLight>> frames, const PlaceGrid &grid,
                                  std::span<const double> lowest, double codeStep, ExecContext &ctx);

/// The same from values of like rank of frames that do not lie on each other, dark to bright: what moved in or out bends
/// it. Shapes: three planes, all of one shape. Threads: one.
std::vector<LightPair> lightPairsByRank(std::span<const ImageView<const uint16_t>> frames);

/// Fits curves and exposures together: log2 z(bright) - log2 z(dark) = e(bright) - e(dark), least squares over all pairs
/// with smooth bends; Tukey's weights, so that what moved does not count. `stated[i]` is what metadata say of frame i,
/// log2 of its exposure, `statedError` in EV how sure they are; without any, smoothness alone parts the curve from the
/// steps. Each channel of a frame has an exposure of its own, as white balances differ.
/// The curve is judged at places that it was not fitted to (two halves of a chessboard of tiles): it is taken when their
/// disagreement (its variance) falls to a fifth and by more than five times what it scatters by from tile to tile, and when both
/// halves find about the same curve. Channels get curves of their own when these, with one white
/// balance for all frames, explain the set surely better than one curve with a white balance for each frame does, and
/// differ from it by what is worth it. What was fitted is handed out whatever the verdict, as long as it rises.
/// Shapes: pairs of frames 0 .. stated.size() - 1. Throws ArgumentError. Threads: through ctx.runner; the same
/// bits for any runner.
/// Source: [DebevecMalik1997] equation 3 in the logarithm, smooth bends as there; a bend of the profile's curve in
/// place of a free curve; corresponding places in place of pixels; judged by cross-validation.
Response fitResponse(std::span<const LightPair> pairs, std::span<const std::optional<double>> stated,
                     double statedError, ExecContext &ctx);

} // namespace yolk
