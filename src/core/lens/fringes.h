// Lateral colour of a lens: red and blue are imaged a little larger or smaller than green.
#pragma once

#include "base/exec_context.h"
#include "frames/frame.h"
#include "image/image.h"
#include "io/codec.h"
#include "lens/lens_names.h"

#include <cstdint>
#include <optional>
#include <string>

namespace yolk {

/// How much larger a channel is than green: light that green shows at distance r from the middle lies at
/// r * (1 + scale + bend * r^2), with r = 1 at the corners.
struct ChannelFringe {
    double scale = 0.0, bend = 0.0;
    bool operator==(const ChannelFringe &) const = default;
    double at(double r) const { return scale + bend * r * r; }
};

struct Fringes {
    enum class Source { None, Picture, LensData };
    ChannelFringe red, blue;
    Source source = Source::None;
    bool operator==(const Fringes &) const = default;
    /// The largest displacement of a channel against green anywhere in a picture of that size, in pixels.
    double largestShift(int width, int height) const;
};

/// Finds the fringes from a frame itself: where red (blue), made comparable to green by local mean and deviation,
/// must be moved to lie on it best; least squares over all edges, iterated. A constant shift is found along with it
/// and dropped: half-size raw pixels have one. Places where a channel clips or noise rules do not count. Empty when
/// there are too few edges. Shapes: linear codes, three planes, at least 64 x 64. Throws ArgumentError, Cancelled.
/// Memory: 40 bytes a pixel. Source: registration by least squares of intensities, [LucasKanade1981].
std::optional<Fringes> estimateFringes(ImageView<const uint16_t> codes, const NoiseModel &noise, ExecContext &ctx);

/// Lens data for a camera and lens by their names; empty when they are not listed or say nothing of lateral colour.
/// `dataFile` is read in place of the data files that came with the library. Source: lensfun.
std::optional<Fringes> fringesFromLensData(const LensNames &names, const std::string &dataFile = {});

/// Moves red and blue onto green, in place: from where the lens put them, and from their `offsets` in these pixels, as
/// pixels that were cells of a filter array have them. Between pixels cubic (Catmull-Rom) in the fourth roots of the values, held
/// within the neighbours' range. What lies nearest to a clipped value stays clipped. Shapes: linear codes, three
/// planes.
/// Threads: bands through ctx.runner, the same bits for any. Memory: 4 bytes a pixel. Throws Cancelled.
void correctFringes(Image<uint16_t> &codes, const Fringes &fringes, const ColourOffsets &offsets, ExecContext &ctx);

/// The same on sensor values behind a filter array, before they become pixels: red and blue samples are moved among
/// their like. Colours are then interpolated from channels that lie on each other. Memory: 1 byte a pixel.
void correctFringes(const Mosaic &mosaic, const Fringes &fringes, ExecContext &ctx);

} // namespace yolk
