// Displacements that the camera's own movement makes, told from those of things that move by themselves.
#pragma once

#include "base/point.h"

#include <optional>
#include <span>
#include <vector>

namespace yolk {

/// Where the same thing lies in a picture and in another one that a homography has brought onto it.
struct Displaced {
    Point at, by; ///< pixels
};

/// The epipole of two pictures. Once a homography of one plane of the scene is taken out, whatever stands still and lies
/// off that plane is displaced along the line from itself through this point.
class Epipole {
public:
    Epipole(double x, double y, double w) : x_(x), y_(y), w_(w) {}
    /// How far a displacement leads off the line, pixels.
    double offLine(const Displaced &d) const;

private:
    double x_, y_, w_; // homogeneous; w 0: infinitely far
};

/// Whether a displacement leads along its line, within what a dense flow is uncertain by.
bool followsCamera(const Epipole &epipole, const Displaced &displaced);

/// The epipole that most displacements agree with; empty where hardly anything is displaced, or where too much of what
/// is disagrees: then nobody can tell what moves by itself.
/// Tiles of the picture vote, so that one large thing has no more say than it has places.
/// Threads: one; the same for the same input.
/// Source: plane and parallax, [IraniAnandan1996] (from memory), by random pairs, [FischlerBolles1981].
std::optional<Epipole> epipoleOf(std::span<const Displaced> displaced, int width, int height);

} // namespace yolk
