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

/// Columns of pixels, over the rows of a cell: their sums and the largest.
struct Columns {
    const uint32_t *sums;
    const uint16_t *most;
    int count, rows;
};
/// How codes become light: the mean times `scale` less `black`.
struct Scale {
    uint16_t clipping;
    float scale, black;
};

YOLK_INLINE void foldCells(const Columns &of, int cell, const Scale &scale, float *light, uint8_t *clips)
{
    const auto fold = [&](int x, int count, float perPixel) {
        const uint32_t *sum = of.sums + ptrdiff_t(x) * cell;
        const uint16_t *largest = of.most + ptrdiff_t(x) * cell;
        uint32_t all = 0;
        uint16_t top = 0;
        for (int u = 0; u < count; ++u) {
            all += sum[u];
            top = largest[u] > top ? largest[u] : top;
        }
        light[x] = float(all) * perPixel - scale.black;
        clips[x] = uint8_t(clips[x] | (top >= scale.clipping));
    };
    const int whole = of.count / cell;
    const float perPixel = scale.scale / float(cell * of.rows);
#pragma GCC ivdep
    for (int x = 0; x < whole; ++x) // what is written overlaps nothing that is read
        fold(x, cell, perPixel);
    if (const int left = of.count - whole * cell; left > 0)
        fold(whole, left, scale.scale / float(left * of.rows));
}

/// Gathers columns into cells of `cell` of them, the last one cut at the end.
YOLK_MULTIVERSION
void foldRow(const Columns &of, int cell, const Scale &scale, float *light, uint8_t *clips)
{
    switch (cell) { // a number that the compiler knows is twice as fast; these serve 13 to 51 megapixels
    case 5:
        return foldCells(of, 5, scale, light, clips);
    case 6:
        return foldCells(of, 6, scale, light, clips);
    case 7:
        return foldCells(of, 7, scale, light, clips);
    case 8:
        return foldCells(of, 8, scale, light, clips);
    default:
        return foldCells(of, cell, scale, light, clips);
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
                  cell * cell,
                  float(double(kClips) / frame.exposure)};
    const bool covered = frame.trust.shape().empty();
    const float perCode = float(1.0 / (double(kCodeScale) * frame.exposure));
    const Scale scale{uint16_t(codeOfLinear(kClips)), perCode, float(kPedestal) * perCode};
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
                foldRow({sums.data(), most.data(), shape.width, bottom - top}, cell, scale, out.light.row(c, y), clips);
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
