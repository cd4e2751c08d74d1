// Things in a world that somebody paints over with a brush, roughly.
#pragma once

#include "areas/area.h"
#include "worlds/leaves.h"

#include <optional>

namespace yolk::worlds {

struct Painted {
    Image<float> scene;    ///< linear Rec. 2020, with the noise of a merge
    Image<uint8_t> truth;  ///< 1 where the thing is seen
    AreaShape shape;       ///< a brush whose middle keeps to the thing and whose rim crosses its edges
    double missedBy = 0.0; ///< pixels by which it crosses them, at most
};

/// A thing of 50 to 200 pixels of which a third and more is seen, painted over line by line by a hand that shakes, with a
/// brush of a fifth to two fifths of its size. Empty: the seed has no such thing.
std::optional<Painted> paintedOf(uint64_t seed, int width, int height, ExecContext &ctx);

/// How well a mask meets the thing: intersection over union, both from a half on.
struct PaintedVerdict {
    double stroke = 0.0, kept = 0.0;
};
PaintedVerdict judgePainted(const Painted &painted, ExecContext &ctx);

} // namespace yolk::worlds
