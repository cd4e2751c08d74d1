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

/// Gathers what columns hold into cells of `cell` of them, the last one cut at the end: their mean times `scale` less
/// `black`, and whether the largest reaches `clipping`.
YOLK_MULTIVERSION
void foldRow(const uint32_t *sums, const uint16_t *most, int width, int cell, int rows, uint16_t clipping, float scale,
             float black, float *light, uint8_t *clips)
{
    const auto fold = [&](int x, int count, float perPixel) {
        const uint32_t *sum = sums + ptrdiff_t(x) * cell;
        const uint16_t *largest = most + ptrdiff_t(x) * cell;
        uint32_t all = 0;
        uint16_t top = 0;
        for (int u = 0; u < count; ++u) {
            all += sum[u];
            top = largest[u] > top ? largest[u] : top;
        }
        light[x] = float(all) * perPixel - black;
        clips[x] = uint8_t(clips[x] | (top >= clipping));
    };
    const int whole = width / cell;
    for (int x = 0; x < whole; ++x)
        fold(x, cell, scale / float(cell * rows));
    if (const int left = width - whole * cell; left > 0)
        fold(whole, left, scale / float(left * rows));
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
    const float scale = float(1.0 / (double(kCodeScale) * frame.exposure)), black = float(kPedestal) * scale;
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
                foldRow(sums.data(), most.data(), shape.width, cell, bottom - top, clipping, scale, black,
                        out.light.row(c, y), clips);
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
