// The second picture of a JPEG for HDR screens.
#pragma once

#include "base/exec_context.h"
#include "image/image.h"
#include "io/gain_map.h"

namespace yolk {

/// A whole file of the gain map between a standard and an HDR picture of it, at full size with three channels: lamps are
/// small and coloured. Shapes: two pictures of three planes and one size, linear with white 1. Throws Cancelled.
std::vector<std::byte> gainMapFile(ImageView<const float> standard, ImageView<const float> bright, double headroom,
                                   ExecContext &ctx);
/// Adds it to a JPEG that stands there with its metadata. Throws OutputError.
void appendGainMap(const std::string &path, std::span<const std::byte> map);

} // namespace yolk
