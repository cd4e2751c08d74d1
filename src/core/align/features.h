// A first idea of how two frames lie to each other, however far apart.
#pragma once

#include "align/guide.h"
#include "align/transform.h"

#include <limits>
#include <memory>
#include <vector>

namespace yolk {

/// Corners of one frame and what surrounds them. Cheap to copy.
struct Features {
    struct Data;
    std::shared_ptr<const Data> data;
};

/// Corners of log light that is made comparable between exposures by local mean and deviation, spread over the picture;
/// from the first level of at most some 0.7 megapixels. Light is cut at `clipping` or where the frame clips, whichever is
/// less: two frames cut at the same light have the same outlines there. Threads: those of the library. Source: ORB, [Rublee2011].
Features featuresOf(const Guide &guide, double clipping = std::numeric_limits<double>::infinity());

/// Transforms from `still` to `moving` worth a closer look, likelier ones first, in pixels of the guides' first level; at
/// most seven. By matched corners, twice: a large moving subject may hold most of them, so what agrees with the first
/// transform is set aside and the rest is asked again. Then by phase correlation, for pictures without corners; and that
/// nothing moved. Source: RANSAC [FischlerBolles1981], phase correlation [KuglinHines1975].
std::vector<Transform> likelyTransforms(const Features &still, const Features &moving);

} // namespace yolk
