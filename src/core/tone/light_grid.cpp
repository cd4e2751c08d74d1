#include "tone/light_grid.h"

#include "base/errors.h"
#include "base/text.h"
#include "base/vectorise.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace yolk {
namespace {

/// Both values of one light, then both of the next.
using Pair2 = float __attribute__((vector_size(16)));

YOLK_INLINE Pair2 loaded(const float *from)
{
    Pair2 out;
    std::memcpy(&out, from, sizeof out);
    return out;
}

struct RowPlace {
    const float *cells; ///< of the row above
    ptrdiff_t rowStride;
    int columns, lights;
    int pixel;  ///< of the first one, counted from the scene's edge
    float part; ///< by which pixels' middles lie beside whole numbers
    float columnStep, rowShare, lowest, perStop;
};

YOLK_MULTIVERSION
void lookUpRow(const RowPlace &at, const float *__restrict ev, int count, float *__restrict first,
               float *__restrict second)
{
    const float mostColumn = float(at.columns - 1), mostLight = float(at.lights - 1);
    for (int i = 0; i < count; ++i) {
        // Counted from the scene's edge, so that a part of a picture has the bits of the whole.
        float x = (float(at.pixel + i) + at.part) * at.columnStep - 0.5f;
        x = x > 0.0f ? x : 0.0f;
        x = x < mostColumn ? x : mostColumn;
        float z = (ev[i] - at.lowest) * at.perStop;
        z = z > 0.0f ? z : 0.0f; // NaN falls to the lowest
        z = z < mostLight ? z : mostLight;
        int c = int(x), k = int(z);
        c = c < at.columns - 2 ? c : at.columns - 2;
        k = k < at.lights - 2 ? k : at.lights - 2;
        const float fx = x - float(c), fz = z - float(k);
        const float *left = at.cells + (ptrdiff_t(c) * at.lights + k) * LightGrid::kValues;
        const float *right = left + ptrdiff_t(at.lights) * LightGrid::kValues;
        const Pair2 upperLeft = loaded(left), upperRight = loaded(right);
        const Pair2 lowerLeft = loaded(left + at.rowStride), lowerRight = loaded(right + at.rowStride);
        const Pair2 upper = upperLeft + fx * (upperRight - upperLeft);
        const Pair2 lower = lowerLeft + fx * (lowerRight - lowerLeft);
        const Pair2 both = upper + at.rowShare * (lower - upper);
        first[i] = both[0] + fz * (both[2] - both[0]);
        second[i] = both[1] + fz * (both[3] - both[1]);
    }
}

} // namespace

LightGrid::LightGrid(int columns, int rows, int lights, double lowest, double stops)
    : columns_(columns), rows_(rows), lights_(lights), lowest_(lowest), stops_(stops)
{
    if (columns < 2 || rows < 2 || lights < 2 || !(stops > 0.0))
        throw ArgumentError(textOf("a grid of %d x %d x %d cells: at least 2 each way", columns, rows, lights));
    cells_.resize(size_t(columns) * size_t(rows) * size_t(lights) * kValues);
}

void LightGrid::lookUp(double x, double step, double y, std::span<const float> ev, std::span<float> first,
                       std::span<float> second) const
{
    // Cells lie in the middle of equal parts of the scene.
    const double row = std::clamp(y * rows_ - 0.5, 0.0, double(rows_ - 1));
    const int r = std::min(int(row), rows_ - 2);
    const ptrdiff_t stride = ptrdiff_t(columns_) * lights_ * kValues;
    const double pixel = std::floor(x / step);
    constexpr double kParts = 4096.0; // of a pixel: finer than anything that shows, coarser than rounding
    lookUpRow({.cells = cells_.data() + r * stride,
               .rowStride = stride,
               .columns = columns_,
               .lights = lights_,
               .pixel = int(pixel),
               .part = float(std::round((x / step - pixel) * kParts) / kParts),
               .columnStep = float(step * columns_),
               .rowShare = float(row - r),
               .lowest = float(lowest_),
               .perStop = float(1.0 / stops_)},
              ev.data(), int(ev.size()), first.data(), second.data());
}

} // namespace yolk
