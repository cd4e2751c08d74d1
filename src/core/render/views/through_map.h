// Views of the reference frame's plane, brought through the map of the picture.
#pragma once

#include "geometry/warp_light.h"
#include "render/plan/render_plan.h"

#include <optional>

namespace yolk {

/// How a view of the picture is made from one of the reference frame.
struct ThroughMap {
    RenderRequest flat; ///< what is needed of the frame, its pixels about as large as those of the view
    RealRect picture;   ///< the area of the picture's plane
    RealRect frame;     ///< all of the frame
    int width, height;  ///< of the view
    bool edgesGoOn;     ///< into corners that the frame does not reach

    Image<float> light(const PictureMap &map, ImageView<const float> display, ExecContext &ctx) const
    {
        return warpLight(display, flat.region, map, picture, frame, width, height, edgesGoOn, ctx);
    }
    /// 1 where the frame reaches.
    Image<uint8_t> reached(const PictureMap &map, ExecContext &ctx) const
    {
        Image<uint8_t> all(1, 1, 1);
        all.row(0, 0)[0] = 1;
        return warpMarks(all.view(), frame, map, picture, frame, width, height, ctx);
    }
    Image<uint8_t> marks(const PictureMap &map, ImageView<const uint8_t> hatch, ExecContext &ctx) const
    {
        return warpMarks(hatch, flat.region, map, picture, frame, width, height, ctx);
    }
};

/// Of a request in the picture's plane; empty where the map changes nothing: the request is one of the frame then.
/// Throws ArgumentError (an empty region).
std::optional<ThroughMap> throughMap(const PictureMap &map, const Frame &reference, const RenderRequest &request,
                                     Corners corners);

/// Which pixels of a view the frame reaches: one plane of 0 and 1. Without pixels where it reaches all, or what lies beyond
/// is filled.
Image<uint8_t> reachedIn(const RenderPlan &plan, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
