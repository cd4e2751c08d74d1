// Pictures made smaller step by step, so that far views need not read all of them.
#pragma once

#include "base/hash.h"
#include "render/set/sources.h"

namespace yolk {

/// Part of a picture, in its pixels, at a size: from the level that lies nearest above it. `key` is the picture's; its
/// levels are kept under it. Throws as resample().
Image<float> partOf(const Sources &sources, const Hash128 &key, const RowSource &whole, const RealRect &region,
                    int width, int height, ExecContext &ctx);

} // namespace yolk
