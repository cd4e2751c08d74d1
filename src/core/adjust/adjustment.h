// What the adjustments have in common. Each is one pair of files: its settings, their table and its kernel; and one row
// of the list in adjustment_list.h. Nothing else knows it.
#pragma once

#include "image/parameter.h"
#include "image/image.h"

#include <memory>
#include <vector>

namespace yolk {

/// Which light an adjustment acts on: linear Rec. 2020 of the scene before tones are mapped, or display-linear Rec. 2020
/// after it, in which 1 is white; it may lie above 1 and outside of the output's colours, which a later stage ends.
enum class Light { Scene, Display };

class Adjustment {
public:
    virtual ~Adjustment() = default;
    /// How many pixels on each side of one it reads, in a picture of `scale` pixels per pixel of the reference frame.
    virtual int context(double scale) const
    {
        (void)scale;
        return 0;
    }
    /// Whether it takes that light as Oklab (L, a, b) in place of linear Rec. 2020. Neighbours of the list that do share
    /// one conversion; none of them has context.
    virtual bool isInOklab() const { return false; }
    /// Shapes:  three planes; `in` has context() more rows and columns on each side than `out`, whose pixels lie on
    ///          `grid`; beyond the edge of the picture the pixels of the edge repeat. Without context `in` may be `out`.
    /// NaN:     may stay. Threads: called for several rows at once.
    virtual void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const = 0;
};
using AdjustmentPtr = std::shared_ptr<const Adjustment>;
using Adjustments = std::vector<AdjustmentPtr>; ///< in the order in which they act

} // namespace yolk
