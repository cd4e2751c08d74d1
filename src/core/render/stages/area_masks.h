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
    size_t size() const { return masks_.size(); }
    const Hash128 &key() const { return key_; } ///< of what they are made from beside the pixels
    /// Of all areas, in their order, over the pixels of `scene`, linear Rec. 2020, which lie on `grid`.
    MaskRows rows(ImageView<const float> scene, const PixelGrid &grid) const;
    /// The same by bands, for a whole view.
    MaskRows rows(ImageView<const float> scene, const PixelGrid &grid, ExecContext &ctx) const;

private:
    std::vector<ShapeMaskPtr> masks_;
    Hash128 key_{};
    bool readsLight_ = false;
};

} // namespace yolk
