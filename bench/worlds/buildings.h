// Streets and rooms of upright walls, seen by a camera that is held askew, through a lens that bends: worlds for
// straightening.
#pragma once

#include "geometry/straighten.h"

#include <cstdint>

namespace yolk::worlds {

struct Buildings {
    Image<float> seen; ///< one plane, as it is seen, 0 to 1; full-resolution pixels are `reduction` times smaller
    int reduction = 1;
    int width = 0, height = 0;       ///< in full resolution
    Optics optics;                   ///< what metadata and lens data say of the camera
    bool speaks = false;             ///< there are walls; else a horizon at most
    bool level = false;              ///< the camera looked straight ahead, only its roll is wrong
    GeometrySettings truth;          ///< under which what is upright stands upright
    std::vector<SceneLine> uprights; ///< of the scene, exact, pixels of the frame, all over the picture
};

/// Up to four walls with windows, courses and doors, at any turn; paving, leaves before them, and straight things that
/// lean. Roll within 5 degrees, pitch within 12, focal lengths of 20 to 60 mm on a frame of 36 x 24 mm, known in two
/// thirds of the worlds; lenses of up to 5 % distortion at the corners, which lens data know.
Buildings buildingsOf(uint64_t seed, ExecContext &ctx);

struct StraightenVerdict {
    bool found = false;      ///< something was done
    double angle = 0.0;      ///< degrees by which it is off
    double uprights = 0.0;   ///< degrees by which the worst upright line of the scene is off
    double levelAngle = 0.0; ///< the same as `angle` where only the angle was asked for
};
StraightenVerdict judgeStraightening(const Buildings &world, ExecContext &ctx);

} // namespace yolk::worlds
