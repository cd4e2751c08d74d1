// Finished light brought through a map: one resampling, sharp and without ringing.
#pragma once

#include "geometry/picture_map.h"
#include "image/image.h"

namespace yolk {

/// What lies where the frame does not reach, display-linear: the grey of the canvas.
inline constexpr float kEmptyLight = 0.181f;

/// Pixels of a `width` x `height` view of the area `picture` of the map's plane, from `light`, which shows the area `shown`
/// of the reference: Lanczos with three lobes, held between the four pixels round a place, so that it neither rings
/// nor leaves their range. Places outside of `frame` are kEmptyLight, or what its edge is where that is to go on; within,
/// edges of `light` repeat.
/// Shapes:  `light` at least 1 x 1 with three planes, in which pixels should be about as large as in the view.
/// Throws:  ArgumentError (shape, size), Cancelled.
/// Threads: bands of rows; the same bits for any runner.
/// Source:  [Duchon1979] for the filter.
Image<float> warpLight(ImageView<const float> light, const RealRect &shown, const PictureMap &map,
                       const RealRect &picture, const RealRect &frame, int width, int height, bool edgesGoOn,
                       ExecContext &ctx);

/// The same of marks: the nearest one, 0 outside.
Image<uint8_t> warpMarks(ImageView<const uint8_t> marks, const RealRect &shown, const PictureMap &map,
                         const RealRect &picture, const RealRect &frame, int width, int height, ExecContext &ctx);

} // namespace yolk
