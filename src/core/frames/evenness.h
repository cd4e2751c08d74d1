// Light that is a frame's own and not the scene's: bands of rows under lamps that flicker, and the fall-off to the rim
// where frames were taken at different apertures. Found from the same places of the scene in several frames.
#pragma once

#include "base/exec_context.h"

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace yolk {

/// Light of a frame over what its exposure promises, in EV, place by place. Nothing: it is even.
struct Unevenness {
    static constexpr int kKnots = 65;
    std::vector<double> bands;  ///< at kKnots lines of the sensor, evenly from the first to the last; empty: none
    bool acrossColumns = false; ///< the file is turned: lines of the sensor are columns of the picture
    double rim = 0.0;           ///< at the corners; grows with the square of the distance from the middle
    double aspect = 1.0;        ///< width over height

    bool isEven() const { return bands.empty() && rim == 0.0; }
    /// At shares of the picture's width and height, 0 to 1.
    double at(double x, double y) const { return alongLine(acrossColumns ? x : y) + atRim(x, y); }
    double alongLine(double share) const;
    double atRim(double x, double y) const;
    double most() const; ///< anywhere
    bool operator==(const Unevenness &) const = default;
};

/// A place as two frames show it, once their exposures have been taken out.
struct UnevenPair {
    size_t dark = 0, bright = 0;                ///< frames
    std::array<double, 2> darkAt{}, brightAt{}; ///< where it lies in each: shares of width and height
    double step = 0.0;                          ///< log2 of bright over dark, EV
    double error = 1.0;                         ///< of it, EV
    int tile = 0;                               ///< as PlaceGrid::tileOf()
};

/// What may differ between the frames of a set.
struct UnevenModel {
    size_t frames = 0;
    bool acrossColumns = false;
    bool rim = false;    ///< apertures differ
    double aspect = 1.0; ///< width over height
};

/// Bands and rims that make the pairs agree: least squares with Tukey's weights and calm bands, whose mean over the
/// frames is even at each line. A band's level, slope and bend over the whole frame stay 0: an exposure and the
/// scene's own brightness could be taken for these. Judged like a response, on a chessboard of tiles that it was not
/// fitted to: taken when their disagreement falls by more than five times what it scatters by from tile to tile, when both
/// halves find the same bands, and when these are strong enough to be seen. Empty: all frames are even.
/// Shapes: frames count below model.frames. Throws ArgumentError. Threads: through ctx.runner; the same bits for any.
std::vector<Unevenness> fitUnevenness(std::span<const UnevenPair> pairs, const UnevenModel &model, ExecContext &ctx);

} // namespace yolk
