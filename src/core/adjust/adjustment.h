// What the adjustments have in common. Each is one pair of files: its settings, their table and its kernel; and one row
// of the list in adjustment_list.h. Nothing else knows it.
#pragma once

#include "base/point.h"
#include "image/image.h"
#include "image/parameter.h"

#include <functional>
#include <memory>
#include <string_view>
#include <vector>

namespace yolk {

/// Which light an adjustment acts on: linear Rec. 2020 of the scene before tones are mapped, or display-linear Rec. 2020
/// after it, in which 1 is white; it may lie above 1 and outside of the output's colours, which a later stage ends.
enum class Light { Scene, Display };

/// The noise of the merged picture. Thread-safe.
class NoiseField {
public:
    virtual ~NoiseField() = default;
    /// Along row `y` of a grid, the variance of R, G and B of scene light of a pixel of the reference frame.
    virtual void fill(const PixelGrid &grid, int y, int width, float *const variance[3]) const = 0;
    /// By how much its deviation over several pixels is more than that of white noise of this variance: colours that were
    /// interpolated from a mosaic share their samples.
    virtual double coarser() const { return 1.0; }
};

/// From a place of the reference frame, pixels, to shares of the sides of the picture as cropped and turned.
using PictureShares = std::function<Point(double x, double y)>;

/// What is known of the whole picture before any part of it is adjusted.
struct Survey {
    ImageView<const float> scene; ///< all of the reference frame, small; linear Rec. 2020, before adjustments
    double width, height;         ///< of the reference frame, pixels
    PictureShares shares;
    double aspect = 1.0;                       ///< width over height of the picture
    std::shared_ptr<const NoiseField> noise{}; ///< null: not known
    /// Has what was seen of this scene before, by whom and under which setting, or lets it be made; empty: always made.
    using Seen = std::shared_ptr<const void>;
    std::function<Seen(std::string_view who, double setting, const std::function<Seen()> &make)> before{};

    /// What follows from the scene and one setting alone: other sliders must not wait for it again.
    template <class T> std::shared_ptr<const T> seen(std::string_view who, double setting, auto make) const
    {
        const auto makeSeen = [&]() -> Seen { return std::make_shared<const T>(make()); };
        return std::static_pointer_cast<const T>(before ? before(who, setting, makeSeen) : makeSeen());
    }
};

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
    /// Whether it must see the whole picture first: then what surveyed() gives acts in its place, and where that is null
    /// nothing does.
    virtual bool surveys() const { return false; }
    virtual std::shared_ptr<const Adjustment> surveyed(const Survey &survey) const
    {
        (void)survey;
        return nullptr;
    }
    /// Shapes:  three planes; `in` has context() more rows and columns on each side than `out`, whose pixels lie on
    ///          `grid`; beyond the edge of the picture the pixels of the edge repeat. Without context `in` may be `out`.
    /// NaN:     may stay. Threads: called for several rows at once.
    virtual void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const = 0;
};
using AdjustmentPtr = std::shared_ptr<const Adjustment>;
using Adjustments = std::vector<AdjustmentPtr>; ///< in the order in which they act

} // namespace yolk
