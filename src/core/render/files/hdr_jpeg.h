// The second picture of a JPEG for HDR screens.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "io/gain_map.h"

namespace yolk {

/// A whole file of the gain map between a JPEG that stands there and an HDR picture, at full size with three channels: lamps are
/// small and coloured. Where both pictures are the same there is no gain; elsewhere it counts from what the JPEG really holds,
/// so that its coding and its dither do not shine through. Shapes: two pictures of three planes and one size, linear with white
/// 1. Throws Cancelled, InputError (the JPEG).
std::vector<std::byte> gainMapFile(const std::string &jpeg, ImageView<const float> standard, ImageView<const float> bright,
                                   double headroom, ExecContext &ctx);
/// Adds it to a JPEG that stands there with its metadata. Throws OutputError.
void appendGainMap(const std::string &path, std::span<const std::byte> map);

} // namespace yolk
