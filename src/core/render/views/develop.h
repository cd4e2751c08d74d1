// The last stage of light: adjustments of scene light, tones, adjustments of display light, and the end of what the
// output cannot hold. Views, readings, comparisons and files all come through here.
#pragma once

#include "image/parameter.h"
#include "render/plan/render_plan.h"
#include "render/stages/area_masks.h"
#include "tone/tone_map.h"

namespace yolk {

class Developer {
public:
    /// Finds the layers of the whole scene where the tones need them; they come from the preview's decode, so that views
    /// of any size and the full picture agree. Refers to `plan`. Throws as mergedOf().
    Developer(const RenderPlan &plan, const OutputLight &output, ExecContext &ctx);

    /// How many pixels beyond a part, on each side, must be there to develop it.
    int context(double scale) const;

    /// Shapes:  three planes; `scene`, linear Rec. 2020, has context() more rows and columns on each side than `out`,
    ///          whose pixels lie on `grid`. Out: display-linear RGB of the output's space.
    /// Threads: on the one that asks. The same bits whatever the part.
    void operator()(ImageView<const float> scene, const PixelGrid &grid, ImageView<float> out) const;

    /// A view, its lights kept for the next slider. Throws as sceneOf().
    Image<float> view(const RenderRequest &request, ExecContext &ctx) const;

    /// A picture of that size whose pixels are scene light already, as a frame's.
    Image<float> picture(ImageView<const float> scene, const PixelGrid &grid, ExecContext &ctx) const;

private:
    struct Known;
    /// Scene light of a view with what acts on it done, and so many pixels round it as the rest reads; kept.
    PicturePtr adjustedScene(const RenderRequest &request, const Hash128 &key, ExecContext &ctx) const;
    void develop(ImageView<const float> scene, const Known &known, const PixelGrid &grid, ImageView<float> out) const;
    Image<float> picture(ImageView<const float> scene, const Known &known, const PixelGrid &grid,
                         ExecContext &ctx) const;

    const RenderPlan &plan_;
    Hash128 layersKey_{}, blendKey_{};
    ToneMapper mapper_;
    AreaMasks masks_;
    Adjustments onScene_, onDisplay_; ///< the plan's, with what they were told of the whole picture
};

/// Of a region of the reference frame, as a view of `width` x `height` pixels shows it.
PixelGrid gridOf(const RealRect &region, int width, int height);
/// With so many pixels more on each side.
RenderRequest widened(const RenderRequest &request, const Frame &reference, int margin);

} // namespace yolk
