// Masks over some rows of a picture.
#pragma once

#include "image/image.h"

#include <vector>

namespace yolk {

/// Some masks, each 0 to 1 at every pixel of a rectangle of a PixelGrid. A mask that is 0 all over holds no pixels.
class MaskRows {
public:
    MaskRows(int firstX, int firstY, int width, int height)
        : firstX_(firstX), firstY_(firstY), width_(width), height_(height)
    {
    }
    /// One plane of the rectangle's size, or no pixels at all: 0.
    void add(Image<float> mask) { masks_.push_back(std::move(mask)); }
    size_t size() const { return masks_.size(); }
    /// Values from pixel (x, y) of the grid on, to the end of the rectangle; null: 0 all over.
    const float *row(size_t mask, int x, int y) const
    {
        const Image<float> &of = masks_[mask];
        return of.shape().empty() ? nullptr : of.row(0, y - firstY_) + (x - firstX_);
    }
    int width() const { return width_; }
    int height() const { return height_; }

private:
    int firstX_, firstY_, width_, height_;
    std::vector<Image<float>> masks_;
};

} // namespace yolk
