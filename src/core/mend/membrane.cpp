#include "mend/membrane.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr int kSmallest = 4; ///< side of the coarsest level
constexpr int kSweeps = 30, kCoarsestSweeps = 200;
constexpr float kOver = 1.6f; ///< successive over-relaxation

/// Every unknown pixel goes towards the mean of its neighbours, and beyond, in place.
void sweep(ImageView<float> values, ImageView<const uint8_t> known, int sweeps)
{
    const int width = values.width(), height = values.height();
    for (int i = 0; i < sweeps; ++i)
        for (int v = 0; v < height; ++v) {
            const int y = i % 2 ? height - 1 - v : v; // both ways, so that news travel as fast up as down
            float *row = values.row(0, y);
            const float *above = values.row(0, std::max(0, y - 1)), *below = values.row(0, std::min(height - 1, y + 1));
            const uint8_t *fixed = known.row(0, y);
            for (int u = 0; u < width; ++u) {
                const int x = i % 2 ? width - 1 - u : u;
                if (!fixed[x]) {
                    const float mean =
                        0.25f * (row[std::max(0, x - 1)] + row[std::min(width - 1, x + 1)] + above[x] + below[x]);
                    row[x] += kOver * (mean - row[x]);
                }
            }
        }
}

} // namespace

void fillSmoothly(ImageView<float> values, ImageView<const uint8_t> known)
{
    const int width = values.width(), height = values.height();
    if (width <= kSmallest || height <= kSmallest) {
        double sum = 0.0, count = 0.0;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                if (known.row(0, y)[x]) {
                    sum += double(values.row(0, y)[x]);
                    ++count;
                }
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                if (!known.row(0, y)[x])
                    values.row(0, y)[x] = count > 0.0 ? float(sum / count) : 0.0f;
        return sweep(values, known, kCoarsestSweeps);
    }
    const int halfWidth = (width + 1) / 2, halfHeight = (height + 1) / 2;
    Image<float> half(halfWidth, halfHeight, 1);
    Image<uint8_t> halfKnown(halfWidth, halfHeight, 1);
    for (int y = 0; y < halfHeight; ++y)
        for (int x = 0; x < halfWidth; ++x) {
            float sum = 0.0f, count = 0.0f;
            for (int v = 2 * y; v < std::min(2 * y + 2, height); ++v)
                for (int u = 2 * x; u < std::min(2 * x + 2, width); ++u)
                    if (known.row(0, v)[u]) {
                        sum += values.row(0, v)[u];
                        ++count;
                    }
            halfKnown.row(0, y)[x] = count > 0.0f;
            half.row(0, y)[x] = count > 0.0f ? sum / count : 0.0f;
        }
    fillSmoothly(half.view(), halfKnown.view());
    for (int y = 0; y < height; ++y) { // linear between the middles of the coarse pixels
        const float v = std::clamp((float(y) + 0.5f) / 2.0f - 0.5f, 0.0f, float(halfHeight - 1));
        const int top = int(v), bottom = std::min(top + 1, halfHeight - 1);
        const float down = v - float(top);
        for (int x = 0; x < width; ++x) {
            if (known.row(0, y)[x])
                continue;
            const float u = std::clamp((float(x) + 0.5f) / 2.0f - 0.5f, 0.0f, float(halfWidth - 1));
            const int left = int(u), right = std::min(left + 1, halfWidth - 1);
            const float across = u - float(left);
            const float upper = half.row(0, top)[left] + across * (half.row(0, top)[right] - half.row(0, top)[left]);
            const float lower =
                half.row(0, bottom)[left] + across * (half.row(0, bottom)[right] - half.row(0, bottom)[left]);
            values.row(0, y)[x] = upper + down * (lower - upper);
        }
    }
    sweep(values, known, kSweeps);
}

} // namespace yolk
