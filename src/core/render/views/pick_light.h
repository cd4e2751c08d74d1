// Light of a place, for the white balance.
#pragma once

#include "render/set/measured.h"

#include <optional>

namespace yolk {

/// Light of a place, for a white balance: the sum over a few pixels of the merge, or of one frame as prepared.
struct PickedLight {
    Vector3 rgb{}; ///< linear, of the file or camera
    bool clipped = false;
};
/// (x, y) in full-resolution pixels of the reference frame. Throws as mergedOf; ArgumentError (outside, frame).
PickedLight pickLight(const Sources &sources, const Measured &measured, const Recipe &recipe,
                      std::optional<size_t> frame, double x, double y, ExecContext &ctx);

} // namespace yolk
