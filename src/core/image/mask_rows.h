// Masks over some rows of a picture.
#pragma once

#include "image/image.h"

#include <algorithm>
#include <vector>

namespace yolk {

/// Some masks, each 0 to 1 at every pixel of a rectangle of a PixelGrid. A mask that is 0 all over holds no pixels.
class MaskRows {
public:
    MaskRows(int firstX, int firstY) : firstX_(firstX), firstY_(firstY) {}
    /// One plane of the rectangle's size, or no pixels at all: 0.
    void add(Image<float> mask)
    {
        std::vector<Span> spans;
        for (int y = 0; y < mask.height(); ++y) {
            const float *row = mask.row(0, y);
            Span span{0, mask.width()};
            while (span.end > 0 && row[span.end - 1] == 0.0f)
                --span.end;
            while (span.begin < span.end && row[span.begin] == 0.0f)
                ++span.begin;
            spans.push_back(span);
        }
        masks_.push_back(std::move(mask));
        spans_.push_back(std::move(spans));
    }
    size_t size() const { return masks_.size(); }
    /// Pixels of a row: 0 before `begin` and from `end` on.
    struct Row {
        const float *values;
        int begin, end;
    };
    /// From pixel (x, y) of the grid on, `width` of them.
    Row row(size_t mask, int x, int y, int width) const
    {
        const Image<float> &of = masks_[mask];
        if (of.shape().empty())
            return {nullptr, 0, 0};
        const int line = y - firstY_, from = x - firstX_;
        const Span &span = spans_[mask][size_t(line)];
        const int begin = std::clamp(span.begin - from, 0, width);
        return {of.row(0, line) + from, begin, std::clamp(span.end - from, begin, width)};
    }
    size_t bytes() const
    {
        size_t out = 0;
        for (const Image<float> &mask : masks_)
            out += mask.bytes();
        return out;
    }

private:
    struct Span {
        int begin, end;
    };
    int firstX_, firstY_;
    std::vector<std::vector<Span>> spans_; ///< of each row, where it is not 0
    std::vector<Image<float>> masks_;
};

} // namespace yolk
