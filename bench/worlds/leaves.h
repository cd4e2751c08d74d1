// Scenes in the manner of dead leaves: things of all sizes over each other, at depths, some of which shine or move.
// Exact from formulas: any camera, any moment.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"

#include <array>
#include <cstdint>
#include <vector>

namespace yolk::worlds {

/// How a camera stands when a frame is taken, against the first.
struct Pose {
    double x = 0.0, y = 0.0; ///< shift of what is far, pixels
    double roll = 0.0;       ///< radians
    double scale = 1.0;
    double aside = 0.0, above = 0.0; ///< how far the nearest things move beside what is far, pixels
    bool operator==(const Pose &) const = default;
};

enum class LeafShape { Oval, Board, Tuft };
enum class LeafSurface { Flat, Shaded, Fine, Lattice, Letters };

struct Leaf {
    double x = 0.0, y = 0.0, radius = 1.0; ///< pixels of the first frame
    double aspect = 1.0, angle = 0.0;
    double softness = 0.5; ///< half the width of its edge, pixels
    double nearness = 0.0; ///< 0 far .. 1 the nearest
    LeafShape shape = LeafShape::Oval;
    LeafSurface surface = LeafSurface::Flat;
    double grain = 3.0;           ///< pixels: size of what is on its surface
    double depth = 0.5;           ///< EV: how much of it
    std::array<float, 3> light{}; ///< linear Rec. 709
    uint64_t seed = 0;
    double stepX = 0.0, stepY = 0.0; ///< pixels that it moves from frame to frame
    double sway = 0.0;               ///< pixels that it swings
    bool moves() const { return stepX != 0.0 || stepY != 0.0 || sway != 0.0; }
};

/// What a scene is drawn from.
struct SceneSpec {
    uint64_t seed = 1;
    int width = 1200, height = 800;
    double stops = 12.0;  ///< from the darkest things to the lights
    bool foliage = false; ///< tufts all over, which sway when things move
    bool movers = false;
};

/// Back to front.
std::vector<Leaf> growLeaves(const SceneSpec &spec);

/// Pixels that lie wholly inside a leaf, and that no later one covers: 1. Threads: one.
Image<uint8_t> coverOf(const std::vector<Leaf> &leaves, size_t leaf, const SceneSpec &spec, const Pose &pose,
                       double moment);

/// Light of the scene at a moment, counted in frames. Shapes: width x height x 3, linear Rec. 709, above 0.
Image<float> renderLeaves(const std::vector<Leaf> &leaves, const SceneSpec &spec, const Pose &pose, double moment,
                          ExecContext &ctx);

} // namespace yolk::worlds
