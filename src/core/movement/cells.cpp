#include "align/warp.h"
#include "base/vectorise.h"
#include "io/linear_codes.h"
#include "movement/cells_p.h"

#include <algorithm>
#include <vector>

namespace yolk {
namespace {

constexpr float kClips = 0.97f; // of clipping
constexpr int kReach = 3;       // pixels around a clipped one that demosaicing and resampling mix with it

/// Down a column of pixels: their sum and the largest.
YOLK_MULTIVERSION
void gatherRow(const uint16_t *from, int width, uint32_t *sum, uint16_t *most)
{
    for (int x = 0; x < width; ++x) {
        sum[x] += from[x];
        most[x] = std::max(most[x], from[x]);
    }
}

YOLK_MULTIVERSION
void markUncovered(const uint8_t *trust, int width, uint8_t *uncovered)
{
    for (int x = 0; x < width; ++x)
        uncovered[x] = uint8_t(uncovered[x] | (trust[x] == kNotCovered));
}

/// Marks in `out` what lies within `reach` of a mark.
YOLK_MULTIVERSION
void spreadRow(const uint8_t *marks, int width, int reach, uint8_t *out)
{
    for (int r = -reach; r <= reach; ++r)
        for (int x = std::max(0, -r); x < std::min(width, width - r); ++x)
            out[x] = uint8_t(out[x] | marks[x + r]);
}

} // namespace

CellFrame cellsOf(const AlignedFrame &frame, int cell, ExecContext &ctx)
{
    const Shape shape = frame.codes.shape();
    const int width = (shape.width + cell - 1) / cell, height = (shape.height + cell - 1) / cell;
    CellFrame out{Image<float>(width, height, 3),
                  Image<uint8_t>(width, height, 1),
                  Image<uint8_t>(width, height, 1),
                  Image<uint8_t>(width, height, 1),
                  frame.noise.gain / frame.exposure,
                  frame.noise.readVariance / (frame.exposure * frame.exposure),
                  cell * cell};
    const bool covered = frame.trust.shape().empty();
    const auto clipping = uint16_t(codeOfLinear(kClips));
    const double inverse = 1.0 / (double(kCodeScale) * frame.exposure);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<uint32_t> sums(static_cast<size_t>(shape.width));
        std::vector<uint16_t> most(sums.size());
        std::vector<uint8_t> uncovered(sums.size());
        for (int y = y0; y < y1; ++y) {
            const int top = y * cell, bottom = std::min(shape.height, top + cell);
            uint8_t *clips = out.clips.row(0, y);
            for (int c = 0; c < 3; ++c) {
                std::ranges::fill(sums, 0u);
                std::ranges::fill(most, uint16_t(0));
                for (int v = top; v < bottom; ++v)
                    gatherRow(frame.codes.row(c, v), shape.width, sums.data(), most.data());
                float *light = out.light.row(c, y);
                for (int x = 0; x < width; ++x) {
                    const int left = x * cell, right = std::min(shape.width, left + cell);
                    uint64_t sum = 0;
                    uint16_t largest = 0;
                    for (int u = left; u < right; ++u) {
                        sum += sums[size_t(u)];
                        largest = std::max(largest, most[size_t(u)]);
                    }
                    const double mean = double(sum) / (double(right - left) * (bottom - top));
                    light[x] = float((mean - kPedestal) * inverse);
                    clips[x] = uint8_t(clips[x] | (largest >= clipping));
                }
            }
            if (covered)
                continue;
            std::ranges::fill(uncovered, uint8_t(0));
            for (int v = top; v < bottom; ++v)
                markUncovered(frame.trust.row(0, v), shape.width, uncovered.data());
            for (int u = 0; u < shape.width; ++u)
                out.absent.row(0, y)[u / cell] |= uncovered[size_t(u)];
        }
    });
    spreadClips(out, (kReach + cell - 1) / cell);
    return out;
}

void spreadClips(CellFrame &frame, int reach)
{
    const int width = frame.clips.width(), height = frame.clips.height();
    for (int y = 0; y < height; ++y)
        for (int v = std::max(0, y - reach); v < std::min(height, y + reach + 1); ++v)
            spreadRow(frame.clips.row(0, v), width, reach, frame.nearClips.row(0, y));
}

} // namespace yolk
