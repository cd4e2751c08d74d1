#include "align/flow.h"

#include "align/bilateral_grid_p.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace yolk {

void continueFlow(ImageView<float> flow, ImageView<const float> belief, ImageView<const float> tone, ExecContext &ctx)
{
    const Shape one{flow.width(), flow.height(), 1};
    if (one.empty() || flow.planes() != 2 || belief.shape() != one || tone.shape() != one)
        throw ArgumentError("flow, belief and tone must be of one size");
    BilateralGrid<3> grid(tone);
    grid.forEachRow(ctx, [&](int y) {
        for (int x = 0; x < one.width; ++x)
            if (const float w = belief.row(0, y)[x]; w > 0.0f)
                grid.add(x, y, {w, w * flow.row(0, y)[x], w * flow.row(1, y)[x]});
    });
    constexpr float kEnough = 8.0f; // pixels believed in full
    grid.fill(kEnough, ctx);
    grid.forEachRow(ctx, [&](int y) {
        for (int x = 0; x < one.width; ++x) {
            const float known = belief.row(0, y)[x];
            if (known >= 1.0f)
                continue;
            const auto sums = grid.at(x, y);
            for (int k = 0; k < 2; ++k) {
                const float mean = sums[0] > 0.0f ? sums[size_t(k) + 1] / sums[0] : 0.0f;
                float &f = flow.row(k, y)[x];
                f = std::lerp(mean, f, known);
            }
        }
    });
}

Image<float> flowCorrection(ImageView<const float> still, ImageView<const float> moved, ImageView<const uint8_t> valid,
                            ImageView<const float> tone, ExecContext &ctx)
{
    const Shape one = still.shape();
    if (one.empty() || one.planes != 1 || moved.shape() != one || valid.shape() != one || tone.shape() != one)
        throw ArgumentError("flow correction: the planes must be of one size");
    BilateralGrid<6> grid(tone);
    grid.forEachRow(ctx, [&](int y) {
        if (y == 0 || y + 1 == one.height)
            return;
        for (int x = 1; x + 1 < one.width; ++x) {
            if (!valid.row(0, y)[x])
                continue;
            const auto slope = [&](ImageView<const float> in, bool across) {
                return across ? 0.5f * (in.row(0, y)[x + 1] - in.row(0, y)[x - 1])
                              : 0.5f * (in.row(0, y + 1)[x] - in.row(0, y - 1)[x]);
            };
            const float gx = 0.5f * (slope(still, true) + slope(moved, true));
            const float gy = 0.5f * (slope(still, false) + slope(moved, false));
            const float r = still.row(0, y)[x] - moved.row(0, y)[x];
            constexpr float kUsual = 0.1f; // of a factor e
            const float w = 1.0f / (1.0f + r * r / (kUsual * kUsual));
            grid.add(x, y, {w, w * gx * gx, w * gx * gy, w * gy * gy, w * gx * r, w * gy * r});
        }
    });
    constexpr float kEnough = 40.0f; // pixels
    grid.fill(kEnough, ctx);
    grid.forEachCell([](std::array<float, 6> &c) {
        constexpr float kFlat = 2e-4f; // squared slope below which nothing is known of motion
        const float xx = c[1] + kFlat * c[0], yy = c[3] + kFlat * c[0], det = xx * yy - c[2] * c[2];
        const float dx = det > 0.0f ? (yy * c[4] - c[2] * c[5]) / det : 0.0f;
        const float dy = det > 0.0f ? (xx * c[5] - c[2] * c[4]) / det : 0.0f;
        c = {1.0f, std::clamp(dx, -1.0f, 1.0f), std::clamp(dy, -1.0f, 1.0f), 0.0f, 0.0f, 0.0f};
    });
    Image<float> out(one.width, one.height, 2);
    grid.forEachRow(ctx, [&](int y) {
        for (int x = 0; x < one.width; ++x) {
            const auto cell = grid.at<3>(x, y);
            out.row(0, y)[x] = cell[1];
            out.row(1, y)[x] = cell[2];
        }
    });
    return out;
}

} // namespace yolk
