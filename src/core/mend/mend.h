// Mending: a piece of the picture over another one, and where good pieces lie.
#pragma once

#include "base/point.h"
#include "mend/mend_settings.h"
#include "mend/mended_light.h"

#include <vector>

namespace yolk {

/// A spot or stroke on the pixels of an image.
struct MendStroke {
    std::vector<Point> points; ///< pixels, at least one
    double radius = 20.0;      ///< pixels
    Point source{};            ///< the way to what it is mended with
    double turn = 0.0;         ///< of that round the middle of the points, radians clockwise
    MendWay way = MendWay::Seamless;
    int weave = 0;                         ///< of MendWay::Woven: which of several ways
    double feather = 0.15, strength = 1.0; ///< shares
};

/// The pixels that a stroke changes: those within its radius. Its share falls smoothly from 1 to 0 over the feather, which
/// takes that share of the radius.
/// The other place is read in whole pixels where it is not turned, so that its grain stays. Seamless: log2 of its light is
/// lifted by the membrane (fillSmoothly) between the differences of both places in a ring round the stroke, a third of
/// the radius wide, each a mean over a sixth of the radius, so that what differs in grain leaves no streaks; what
/// differs by more than 2.5 deviations (robust ones) from the usual is another thing, and does not count. How far
/// a channel is lifted more than the others stays within 0.15 stops of the usual: light changes more in brightness than in
/// colour.
/// Woven: pieces from within five radii, in log light; nothing is lifted.
/// Shapes:  the patch lies within the image; empty where the stroke lies beside it.
/// Source:  [Perez2003], in log light, where a difference of light is a shift; woven() for pieces.
MendPatch mended(const MendedLight &light, const MendStroke &stroke);

/// Places to mend with, as MendStroke::source, the best first, at most `most`, farther apart than half the radius. Places
/// round the stroke, out to 16 radii, are compared in log light, by a ring a third of the radius wide round the stroke and
/// round each of them. The cost of one is the variance of the difference of both rings (a seam that no shift of light
/// hides) over the mean of their variances, so that flat places are not preferred, times that of the stroke's ring; a
/// tenth of the square of the mean difference; by how much the deviation of the other ring, and that within it, is another
/// one, squared, so that texture is mended with texture; and by how much what lies within it differs more from its ring
/// than the ring in itself: another thing would be brought along. Of two alike the nearer one costs less. The best are
/// moved by up to half the radius, to the pixel.
std::vector<Point> mendSources(const MendedLight &light, const MendStroke &stroke, size_t most);

} // namespace yolk
