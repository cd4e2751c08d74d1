#include "image/light_grid.h"

#include "base/errors.h"
#include "base/text.h"
#include "base/vectorise.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

YOLK_MULTIVERSION
void mixRows(const float *__restrict upper, const float *__restrict lower, float share, size_t count,
             float *__restrict out)
{
    for (size_t i = 0; i < count; ++i)
        out[i] = upper[i] + share * (lower[i] - upper[i]);
}

struct RowPlace {
    int columns, lights;
    int pixel;  ///< of the first one, counted from the scene's edge
    float part; ///< by which pixels' middles lie beside whole numbers
    float columnStep, lowest, perStop;
};

YOLK_MULTIVERSION
void lookUpRow(const RowPlace &at, const float *cells, const float *__restrict ev, int count, float *__restrict first,
               float *__restrict second)
{
    constexpr int kPiece = 64;
    int places[kPiece];
    float columnParts[kPiece], lightParts[kPiece], ends[4 * kPiece];
    // Just short of the ends: there is a cell behind.
    const float mostColumn = float(at.columns - 1) * 0.9999999f, mostLight = float(at.lights - 1) * 0.9999999f;
    const ptrdiff_t next = ptrdiff_t(at.lights) * LightGrid::kValues;
    for (int x0 = 0; x0 < count; x0 += kPiece) {
        const int size = std::min(kPiece, count - x0);
        for (int i = 0; i < size; ++i) {
            // Counted from the scene's edge, so that a part of a picture has the bits of the whole.
            float x = (float(at.pixel + x0 + i) + at.part) * at.columnStep - 0.5f;
            x = x > 0.0f ? x : 0.0f;
            x = x < mostColumn ? x : mostColumn;
            float z = (ev[x0 + i] - at.lowest) * at.perStop;
            z = z > 0.0f ? z : 0.0f; // NaN falls to the lowest
            z = z < mostLight ? z : mostLight;
            const int c = int(x), k = int(z);
            columnParts[i] = x - float(c);
            lightParts[i] = z - float(k);
            places[i] = (c * at.lights + k) * LightGrid::kValues;
        }
        for (int i = 0; i < size; ++i) {
            // Both values of one light, then both of the next.
            const auto left = loaded<Float4>(cells + places[i]), right = loaded<Float4>(cells + places[i] + next);
            const Float4 both = left + columnParts[i] * (right - left);
            store(both, ends + 4 * i);
        }
        for (int i = 0; i < size; ++i) {
            first[x0 + i] = ends[4 * i] + lightParts[i] * (ends[4 * i + 2] - ends[4 * i]);
            second[x0 + i] = ends[4 * i + 1] + lightParts[i] * (ends[4 * i + 3] - ends[4 * i + 1]);
        }
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

void LightGrid::rowAt(double y, std::vector<float> &out) const
{
    // Cells lie in the middle of equal parts of the scene.
    const double row = std::clamp(y * rows_ - 0.5, 0.0, double(rows_ - 1));
    const int above = std::min(int(row), rows_ - 2);
    out.resize(size_t(columns_) * size_t(lights_) * kValues);
    const float *upper = cells_.data() + size_t(above) * out.size();
    mixRows(upper, upper + out.size(), float(row - above), out.size(), out.data());
}

void LightGrid::lookUp(std::span<const float> row, double x, double step, std::span<const float> ev,
                       std::span<float> first, std::span<float> second) const
{
    const double pixel = std::floor(x / step);
    constexpr double kParts = 4096.0; // of a pixel: finer than anything that shows, coarser than rounding
    lookUpRow({.columns = columns_,
               .lights = lights_,
               .pixel = int(pixel),
               .part = float(std::round((x / step - pixel) * kParts) / kParts),
               .columnStep = float(step * columns_),
               .lowest = float(lowest_),
               .perStop = float(1.0 / stops_)},
              row.data(), ev.data(), int(ev.size()), first.data(), second.data());
}

} // namespace yolk
