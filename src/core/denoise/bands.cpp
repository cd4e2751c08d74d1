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

YOLK_MULTIVERSION
void squareRow(const float *__restrict row, const float *__restrict rest, int width, float *__restrict square)
{
    for (int x = 0; x < width; ++x)
        square[x] = (row[x] - rest[x]) * (row[x] - rest[x]);
}

YOLK_MULTIVERSION
void sumAcross(const float *__restrict from, int step, int width, float *__restrict to)
{
    for (int x = 0; x < width; ++x)
        to[x] = from[x - step] + from[x] + from[x + step];
}

/// Differences by the energy of their neighbourhood, in three rows of sums; the variance of the noise is `noise` times
/// the square of the threshold, pixel by pixel.
YOLK_MULTIVERSION
void shrinkRowBy(const float *__restrict row, const float *__restrict rest, const float *__restrict above,
                 const float *__restrict here, const float *__restrict below, float threshold,
                 const float *__restrict noise, int width, float *__restrict kept)
{
    const float ninth = 9.0f * threshold * threshold;
    for (int x = 0; x < width; ++x) {
        const float energy = above[x] + here[x] + below[x], least = ninth * noise[x];
        const float more = energy > least ? energy : least;
        kept[x] += (row[x] - rest[x]) * (1.0f - least / (more + 1e-30f));
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
    PlaneRows(int width, int spread, bool isKnown)
        : kept(ringOf(width, spread * kBandReachKnown)), padded(size_t(width + spread * (kBandReach + 2)))
    {
        for (int scale = 0; scale < kBands; ++scale) {
            levels[size_t(scale)] = ringOf(width, spread * (4 << scale));
            if (!isKnown)
                continue;
            energies[size_t(scale)] = ringOf(width, spread * (2 << scale));
        }
        levels[kBands] = ringOf(width, spread * (kBandReachKnown - kBandReach));
    }
    static Image<float> ringOf(int width, int mostBetween)
    {
        return Image<float>({width, int(std::bit_ceil(unsigned(mostBetween + 1))), 1}, Fill::Anything);
    }
    static float *rowOf(Image<float> &ring, int y) { return ring.row(0, y & (ring.height() - 1)); }

    std::array<Image<float>, kBands + 1> levels; ///< the last one is the smooth rest
    std::array<Image<float>, kBands> energies;   ///< of the bands: their squares summed across
    Image<float> kept;
    std::vector<float> padded; ///< one row
};

void mirrorEnds(float *row, int margin, int width)
{
    for (int x = 1; x <= margin; ++x) {
        row[-x] = row[mirrored(-x, width)];
        row[width - 1 + x] = row[mirrored(width - 1 + x, width)];
    }
}

/// A row of a level through the cubic spline (1 4 6 4 1) / 16 with holes of `step`, edges mirrored.
void smoothRow(Image<float> &level, int y, int step, int height, std::vector<float> &padded, float *to)
{
    const int width = level.width(), margin = 2 * step;
    float *row = padded.data() + margin;
    const auto at = [&](int v) { return PlaneRows::rowOf(level, mirrored(v, height)); };
    smoothDown(at(y - 2 * step), at(y - step), at(y), at(y + step), at(y + 2 * step), width, row);
    mirrorEnds(row, margin, width);
    smoothAcross(row, step, width, to);
}

/// Row y of a band is there: what now has all its neighbours is shrunk and kept.
void shrinkBand(PlaneRows &plane, size_t m, int scale, int y, int height, const BandShrinkage &shrinkage)
{
    const size_t band = size_t(scale);
    const int step = shrinkage.spread << scale, width = plane.kept.width();
    float *row = plane.padded.data() + step;
    squareRow(PlaneRows::rowOf(plane.levels[band], y), PlaneRows::rowOf(plane.levels[band + 1], y), width, row);
    mirrorEnds(row, step, width);
    sumAcross(row, step, width, PlaneRows::rowOf(plane.energies[band], y));
    const auto sums = [&](int at) { return PlaneRows::rowOf(plane.energies[band], mirrored(at, height)); };
    const int last = y + 1 < height ? y - step : height - 1;
    for (int v = std::max(0, y - step); v <= last; ++v) {
        float *kept = PlaneRows::rowOf(plane.kept, v);
        if (scale == 0)
            std::fill_n(kept, width, 0.0f);
        shrinkRowBy(PlaneRows::rowOf(plane.levels[band], v), PlaneRows::rowOf(plane.levels[band + 1], v),
                    sums(v - step), sums(v), sums(v + step), shrinkage.thresholds[m][band], shrinkage.noise(int(m), v),
                    width, kept);
    }
}

} // namespace

void throughBands(int width, int height, const BandShrinkage &shrinkage,
                  const std::function<void(int y, const ThreeRows<float> &rows)> &give,
                  const std::function<void(int y, const ThreeRows<const float> &rows)> &take)
{
    const bool isKnown = bool(shrinkage.noise);
    const int spread = shrinkage.spread, reach = spread * (isKnown ? kBandReachKnown : kBandReach);
    std::vector<PlaneRows> planes;
    for (int m = 0; m < 3; ++m)
        planes.emplace_back(width, spread, isKnown);
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
                float *rest = PlaneRows::rowOf(plane.levels[size_t(scale) + 1], y);
                smoothRow(level, y, step, height, plane.padded, rest);
                const float *fine = PlaneRows::rowOf(level, y);
                if (shrinkage.see)
                    shrinkage.see(int(m), scale, y, fine, rest);
                if (isKnown) {
                    shrinkBand(plane, m, scale, y, height, shrinkage);
                    continue;
                }
                float *kept = PlaneRows::rowOf(plane.kept, y);
                if (scale == 0)
                    std::fill_n(kept, width, 0.0f);
                shrinkRow(fine, rest, shrinkage.thresholds[m][size_t(scale)], width, kept);
            }
        if (const int y = given - reach; y >= 0) {
            const auto whole = [&](size_t m) {
                float *row = PlaneRows::rowOf(planes[m].kept, y);
                addRow(PlaneRows::rowOf(planes[m].levels[kBands], y), width, row);
                return row;
            };
            take(y, {whole(0), whole(1), whole(2)});
        }
    }
}

} // namespace yolk
