// A first idea of how two frames lie to each other, however far apart.
#pragma once

#include "align/guide.h"
#include "align/transform.h"

#include <limits>
#include <memory>
#include <vector>

namespace yolk {

/// One frame at a small size, log light made comparable between exposures by local mean and deviation. Cheap to copy.
struct Overview {
    struct Data;
    std::shared_ptr<const Data> data;
};

/// Corners of one frame and what surrounds them. Cheap to copy.
struct Features {
    struct Data;
    std::shared_ptr<const Data> data;
};

/// From the first level of at most some 0.1 megapixels. Light is cut at `clipping` or where the frame clips, whichever
/// is less: two frames cut at the same light have the same outlines there. Threads: those of the library.
Overview overviewOf(const Guide &guide, double clipping = std::numeric_limits<double>::infinity());

/// Corners of log light made comparable in the same way, spread over the picture; from the first level of at most some
/// 0.7 megapixels. Threads: those of the library. Source: ORB, [Rublee2011].
Features featuresOf(const Guide &guide, double clipping = std::numeric_limits<double>::infinity());

/// Transforms from `still` to `moving` worth a closer look, in pixels of the guides' first level: the shift by phase
/// correlation, where it is one, and that nothing moved. Source: [KuglinHines1975].
std::vector<Transform> likelyShifts(const Overview &still, const Overview &moving);

/// The same by matched corners, likelier ones first, at most four. They are asked twice: a large moving subject may
/// hold most of them, so what agrees with the first transform is set aside and the rest is asked again. Source: RANSAC
/// [FischlerBolles1981].
std::vector<Transform> likelyTransforms(const Features &still, const Features &moving);

} // namespace yolk
