#include "denoise/bands.h"

#include "base/vectorise.h"
#include "image/image.h"

#include <algorithm>
#include <bit>
#include <vector>

namespace yolk {
namespace {

int mirrored(int i, int n)
{
    i = i < 0 ? -i : i;
    i = i >= n ? 2 * (n - 1) - i : i;
    return std::clamp(i, 0, n - 1);
}

YOLK_MULTIVERSION
void smoothDown(const float *__restrict a, const float *__restrict b, const float *__restrict c,
                const float *__restrict d, const float *__restrict e, int width, float *__restrict to)
{
    for (int x = 0; x < width; ++x)
        to[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
}

YOLK_MULTIVERSION
void smoothAcross(const float *__restrict from, int step, int width, float *__restrict to)
{
    for (int x = 0; x < width; ++x)
        to[x] = 0.0625f * (from[x - 2 * step] + from[x + 2 * step]) + 0.25f * (from[x - step] + from[x + step]) +
                0.375f * from[x];
}

/// What stands out of the noise between a row and its smooth rest is added to `kept`.
YOLK_MULTIVERSION
void shrinkRow(const float *__restrict row, const float *__restrict rest, float threshold, int width,
               float *__restrict kept)
{
    const float least = threshold * threshold;
    for (int x = 0; x < width; ++x) {
        const float d = row[x] - rest[x], square = d * d;
        const float more = square > least ? square : least;
        kept[x] += d * (1.0f - least / (more + 1e-30f)); // nothing where the square is not more
    }
}

/// Where the noise is `noise` times that, pixel by pixel, and known: what stands out further is kept more nearly whole.
YOLK_MULTIVERSION
void shrinkRowBy(const float *__restrict row, const float *__restrict rest, float threshold,
                 const float *__restrict noise, int width, float *__restrict kept)
{
    for (int x = 0; x < width; ++x) {
        const float d = row[x] - rest[x], square = d * d, t = threshold * noise[x], least = t * t;
        const float more = square > least ? square : least, share = least / (more + 1e-30f);
        kept[x] += d * (1.0f - share * share);
    }
}

YOLK_MULTIVERSION
void addRow(const float *__restrict kept, int width, float *__restrict plane)
{
    for (int x = 0; x < width; ++x)
        plane[x] += kept[x];
}

/// A plane on its way from the top down: of each level the rows that the next one still needs, and what is kept of the
/// bands so far.
struct PlaneRows {
    PlaneRows(int width, int spread)
        : kept(ringOf(width, spread * kBandReach)), padded(size_t(width + spread * (kBandReach + 2))),
          rest(size_t(width))
    {
        for (int scale = 0; scale < kBands; ++scale)
            levels[size_t(scale)] = ringOf(width, spread * (4 << scale));
    }
    static Image<float> ringOf(int width, int mostBetween)
    {
        return Image<float>({width, int(std::bit_ceil(unsigned(mostBetween + 1))), 1}, Fill::Anything);
    }
    static float *rowOf(Image<float> &ring, int y) { return ring.row(0, y & (ring.height() - 1)); }

    std::array<Image<float>, kBands> levels;
    Image<float> kept;
    std::vector<float> padded, rest; ///< one row each
};

/// A row of a level through the cubic spline (1 4 6 4 1) / 16 with holes of `step`, edges mirrored.
void smoothRow(Image<float> &level, int y, int step, int height, std::vector<float> &padded, float *to)
{
    const int width = level.width(), margin = 2 * step;
    float *row = padded.data() + margin;
    const auto at = [&](int v) { return PlaneRows::rowOf(level, mirrored(v, height)); };
    smoothDown(at(y - 2 * step), at(y - step), at(y), at(y + step), at(y + 2 * step), width, row);
    for (int x = 1; x <= margin; ++x) {
        row[-x] = row[mirrored(-x, width)];
        row[width - 1 + x] = row[mirrored(width - 1 + x, width)];
    }
    smoothAcross(row, step, width, to);
}

} // namespace

void throughBands(int width, int height, const BandShrinkage &shrinkage,
                  const std::function<void(int y, const ThreeRows<float> &rows)> &give,
                  const std::function<void(int y, const ThreeRows<const float> &rows)> &take)
{
    const int spread = shrinkage.spread, reach = spread * kBandReach;
    std::array<PlaneRows, 3> planes{PlaneRows(width, spread), PlaneRows(width, spread), PlaneRows(width, spread)};
    for (int given = 0; given < height + reach; ++given) {
        const auto top = [&](size_t m) { return PlaneRows::rowOf(planes[m].levels[0], given); };
        if (given < height)
            give(given, {top(0), top(1), top(2)});
        for (size_t m = 0; m < 3; ++m)
            for (int scale = 0; scale < kBands; ++scale) {
                PlaneRows &plane = planes[m];
                const int step = spread << scale, y = given - 2 * (2 * step - spread); // all that it needs is there
                if (y < 0 || y >= height)
                    continue;
                Image<float> &level = plane.levels[size_t(scale)];
                float *rest =
                    scale + 1 < kBands ? PlaneRows::rowOf(plane.levels[size_t(scale) + 1], y) : plane.rest.data();
                smoothRow(level, y, step, height, plane.padded, rest);
                const float *fine = PlaneRows::rowOf(level, y);
                if (shrinkage.see)
                    shrinkage.see(int(m), scale, y, fine, rest);
                float *kept = PlaneRows::rowOf(plane.kept, y);
                if (scale == 0)
                    std::fill_n(kept, width, 0.0f);
                const float threshold = shrinkage.thresholds[m][size_t(scale)];
                if (shrinkage.noise)
                    shrinkRowBy(fine, rest, threshold, shrinkage.noise(int(m), y), width, kept);
                else
                    shrinkRow(fine, rest, threshold, width, kept);
            }
        if (const int y = given - reach; y >= 0) {
            for (PlaneRows &plane : planes)
                addRow(PlaneRows::rowOf(plane.kept, y), width, plane.rest.data());
            take(y, {planes[0].rest.data(), planes[1].rest.data(), planes[2].rest.data()});
        }
    }
}

} // namespace yolk
