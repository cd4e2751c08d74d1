// The masks of areas, ready for any view.
#pragma once

#include "areas/shape_mask.h"
#include "render/plan/render_plan.h"

namespace yolk {

class AreaMasks {
public:
    AreaMasks() = default; ///< of none
    /// Strokes are drawn and edges are found once, from the preview's decode, and kept: views of any size and the full picture
    /// agree. Throws as sceneOf().
    AreaMasks(const RenderPlan &plan, const SharedList<Area> &areas, ExecContext &ctx);

    bool empty() const { return masks_.empty(); }
    /// Of all areas, in their order, over the pixels of `scene`, linear Rec. 2020, which lie on `grid`.
    MaskRows rows(ImageView<const float> scene, const PixelGrid &grid) const;

private:
    std::vector<ShapeMaskPtr> masks_;
    bool readsLight_ = false;
};

} // namespace yolk
