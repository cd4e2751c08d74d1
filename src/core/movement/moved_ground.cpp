#include "movement/moved_ground.h"

#include "movement/cells_p.h"
#include "movement/places_p.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr double kCells = 0.45e6;
constexpr double kSensitivity = 50.0;
constexpr double kMargin = 0.008; // of the width

CellFrame cellsOf(const GroundFrame &frame, int cell)
{
    const int width = frame.seen.light.width() / cell, height = frame.seen.light.height() / cell;
    CellFrame out{Image<float>(width, height, 1),
                  Image<uint8_t>(width, height, 1),
                  Image<uint8_t>(width, height, 1),
                  Image<uint8_t>(width, height, 1),
                  frame.gain,
                  frame.read,
                  cell * cell};
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            float sum = 0.0f;
            for (int v = y * cell; v < (y + 1) * cell; ++v)
                for (int u = x * cell; u < (x + 1) * cell; ++u) {
                    sum += frame.seen.light.row(0, v)[u];
                    out.clips.row(0, y)[x] |= uint8_t(!frame.seen.valid.row(0, v)[u]);
                    out.absent.row(0, y)[x] |= uint8_t(!frame.seen.covered.row(0, v)[u]);
                }
            out.light.row(0, y)[x] = sum / float(cell * cell);
        }
    spreadClips(out, 1);
    return out;
}

} // namespace

std::vector<MovedGround> movedGround(std::span<const GroundFrame> frames, size_t reference, ExecContext &ctx)
{
    if (frames.empty() || reference >= frames.size())
        throw ArgumentError("moved ground: there is no such frame");
    const Shape shape = frames[0].seen.light.shape();
    for (const GroundFrame &f : frames)
        if (f.seen.light.shape() != shape || shape.empty())
            throw ArgumentError("moved ground: the frames are not of one size");
    std::vector<MovedGround> out(frames.size());
    const int cell = std::max(1, int(std::ceil(std::sqrt(double(shape.pixels()) / kCells))));
    if (shape.width < 8 * cell || shape.height < 8 * cell)
        return out;
    const CellFrame still = cellsOf(frames[reference], cell);
    for (size_t i = 0; i < frames.size(); ++i) {
        if (i == reference)
            continue;
        ExecContext own = ctx.child({});
        const Comparison pair =
            compare(still, cellsOf(frames[i], cell), Fit::Close, responseTolerance(kSensitivity), own);
        out[i] = {cell, wideMovement(pair.apart, kMargin)};
    }
    return out;
}

} // namespace yolk
