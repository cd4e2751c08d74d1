// Bringing a frame onto the reference: one resampling of its codes.
#pragma once

#include "align/transform.h"
#include "base/exec_context.h"
#include "image/image.h"

namespace yolk {

/// Where things lie beside where a transform puts them: two planes (right, down) in pixels of the picture that is
/// warped, one value for each step x step block of the reference, linear between the blocks' middles. Empty: nowhere.
struct Displacements {
    Image<float> field;
    double step = 1.0;
    bool empty() const { return field.shape().empty(); }
    Point at(const Point &pixel) const; ///< of the reference
};

/// The same on pictures `factor` times as large, where the transform that they lie beside has become another one: what
/// they and `before` say together is said beside `after`; both transforms of the large pictures. Threads: one.
Displacements enlarged(const Displacements &small, double factor, const Transform &before, const Transform &after);

/// What a warped pixel is good for; between the last two grows how far it may be believed. Beside clipped pixels the
/// kernel has made up what it holds; what is not believed may still be right.
inline constexpr uint8_t kNotCovered = 0, kBesideClipped = 1, kNotBelieved = 2, kBelieved = 255;

struct Warped {
    Image<uint16_t> codes; ///< as the input; 0 where nothing covers the pixel
    Image<uint8_t> trust;  ///< kNotCovered; kBesideClipped where ClippedRim::Drop says so; kBelieved
};

enum class ClippedRim { Believe, Drop };

/// Lanczos-3 at toFrame(pixel) + displacement, held within half as much again of the range of the four nearest samples:
/// beside light a thousand times as bright, the kernel's waves would be edges of their own. A pixel whose kernel meets
/// a clipped sample is no measurement: ClippedRim::Drop marks it, for frames that darker ones stand in for.
/// Shapes: three planes in, width x height x 3 out. Throws ArgumentError, Cancelled. Threads: bands, the same bits for
/// any runner. Memory: 7 bytes per pixel of the result. Source: [Duchon1979] for the kernel; the limit is our own.
Warped warpFrame(ImageView<const uint16_t> codes, const Transform &toFrame, const Displacements &local, int width,
                 int height, ClippedRim rim, ExecContext &ctx);

} // namespace yolk
