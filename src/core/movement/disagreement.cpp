#include "base/vectorise.h"
#include "movement/cells_p.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>
#include <vector>

namespace yolk {
namespace {

constexpr float kDarker = 0.9f;      // of a clipped light: what a frame that does not clip may show of it
constexpr float kNoiseSigmas = 3.0f; // of both frames
constexpr float kTogether = 4.0f;    // variance of a sum over that of as many single cells: demosaicing spreads noise
constexpr float kCommon = 0.35f;     // of a pixel's sigma: errors of coding that neighbours have in common
constexpr float kResponses = 3.0f;   // times the tolerance of response
constexpr float kShift = 0.3f;       // pixels, at edges
constexpr float kContradicts = 4.0f; // the most that a cell of one channel counts, squared: one alone is no movement
constexpr int kFine = 1, kCoarse = 4;
constexpr float kFewestSoft = 27.0f; // cells among 9 x 9, for what is soft

/// One channel of one frame around a row of cells.
struct Side {
    const float *above, *row, *below;
    const uint8_t *clips, *near, *absent;
    float gain, read; // of a pixel
};

/// What one row of cells gives to the sums.
struct Terms {
    float *difference, *noise, *bias, *light, *counted; // with sign, for 9 x 9
    float *square, *count;                              // added to, for 3 x 3
};

/// How far a light lies outside of what the 3 x 3 cells around show.
YOLK_INLINE float outside(float light, const float *above, const float *row, const float *below, int left, int x,
                          int right)
{
    const auto least = [](float a, float b) { return a < b ? a : b; };
    const auto most = [](float a, float b) { return a > b ? a : b; };
    const float low = least(least(least(least(above[left], above[x]), least(above[right], row[left])),
                                  least(least(row[x], row[right]), least(below[left], below[x]))),
                            below[right]);
    const float high = most(most(most(most(above[left], above[x]), most(above[right], row[left])),
                                 most(most(row[x], row[right]), most(below[left], below[x]))),
                            below[right]);
    return most(light - high, 0.0f) - most(low - light, 0.0f);
}

struct Tolerances {
    float perCell, response, shift;
};

/// Cells from x0 to x1, whose neighbours lie `left` and `right` of them; without a branch, to be vectorised. With a
/// loose fit, light counts only where it lies outside of what the other frame shows around.
template <Fit kFit>
YOLK_INLINE void compareCells(const Side &a, const Side &b, int x0, int x1, int left, int right, const Tolerances &t,
                              const Terms &to)
{
    const float *aAbove = a.above, *aRow = a.row, *aBelow = a.below;
    const float *bAbove = b.above, *bRow = b.row, *bBelow = b.below;
    const uint8_t *aClips = a.clips, *aNear = a.near, *aAbsent = a.absent;
    const uint8_t *bClips = b.clips, *bNear = b.near, *bAbsent = b.absent;
    float *difference = to.difference, *noise = to.noise, *bias = to.bias, *light = to.light, *counted = to.counted,
          *square = to.square, *count = to.count;
    const float aGain = a.gain, aRead = a.read, bGain = b.gain, bRead = b.read;
    const float perCell = t.perCell, response = kResponses * t.response;
    const float shift = kResponses * kResponses * t.shift * t.shift;
#pragma GCC ivdep
    for (int x = x0; x < x1; ++x) { // what is written overlaps nothing that is read
        const float la = aRow[x], lb = bRow[x];
        const float brighter = la > lb ? la : lb, lightest = brighter > 0.0f ? brighter : 0.0f;
        const float pa = aGain * (la > 0.0f ? la : 0.0f) + aRead, pb = bGain * (lb > 0.0f ? lb : 0.0f) + bRead;
        const float va = pa * perCell, vb = pb * perCell;
        const float ax = aRow[x + right] - aRow[x + left], ay = aBelow[x] - aAbove[x];
        const float bx = bRow[x + right] - bRow[x + left], by = bBelow[x] - bAbove[x];
        const float slopeA = ax * ax + ay * ay, slopeB = bx * bx + by * by;
        const float slope = 0.25f * (slopeA < slopeB ? slopeA : slopeB);
        const int shown = (aAbsent[x] | bAbsent[x]) == 0, clipsA = aClips[x] != 0, clipsB = bClips[x] != 0;
        const int both = shown & int((aNear[x] | bNear[x]) == 0);
        // A clipped side says only that there is at least so much light.
        const float edge = shift * slope;
        constexpr float kSquared = kNoiseSigmas * kNoiseSigmas;
        const int darkB = int(lb + std::sqrt(kSquared * vb + edge) < kDarker * la),
                  darkA = int(la + std::sqrt(kSquared * va + edge) < kDarker * lb);
        const int tooDark = (clipsA & (1 - clipsB) & darkB) | (clipsB & (1 - clipsA) & darkA);
        float d = la - lb;
        if constexpr (kFit == Fit::Loose) {
            const float beyondB = outside(la, bAbove, bRow, bBelow, x + left, x, x + right),
                        beyondA = -outside(lb, aAbove, aRow, aBelow, x + left, x, x + right);
            d = std::abs(beyondA) < std::abs(beyondB) ? beyondA : beyondB;
        }
        const float v = kSquared * (va + vb);
        const float s = response * lightest + kNoiseSigmas * kCommon * std::sqrt(pa + pb);
        const float miss = d * d / (v + s * s + edge), q = miss > kContradicts ? kContradicts : miss;
        const float counts = both ? 1.0f : 0.0f, contradicts = shown & tooDark & (1 - both) ? 1.0f : 0.0f;
        difference[x] = both ? d : 0.0f;
        noise[x] = both ? v : 0.0f;
        bias[x] = both ? s + std::sqrt(edge) : 0.0f;
        light[x] = both ? lightest : 0.0f;
        counted[x] = counts;
        square[x] += (both ? q : 0.0f) + contradicts * kContradicts;
        count[x] += counts + contradicts;
    }
}

template <Fit kFit>
YOLK_INLINE void compareRow(const Side &a, const Side &b, int width, const Tolerances &t, const Terms &out)
{
    const int last = width - 1;
    compareCells<kFit>(a, b, 0, 1, 0, last > 0 ? 1 : 0, t, out);
    compareCells<kFit>(a, b, 1, last, -1, 1, t, out);
    if (last > 0)
        compareCells<kFit>(a, b, last, width, -1, 0, t, out);
}
YOLK_MULTIVERSION
void compareClosely(const Side &a, const Side &b, int width, const Tolerances &t, const Terms &out)
{
    compareRow<Fit::Close>(a, b, width, t, out);
}
YOLK_MULTIVERSION
void compareLoosely(const Side &a, const Side &b, int width, const Tolerances &t, const Terms &out)
{
    compareRow<Fit::Loose>(a, b, width, t, out);
}

/// out[x] = sum of all rows at x. In one pass: rows stay where they are, and sums in registers.
template <size_t Rows> YOLK_INLINE void sumRows(const std::array<const float *, Rows> &rows, int width, float *out)
{
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // `out` overlaps none of them
        float sum = rows[0][x];
        for (size_t i = 1; i < Rows; ++i)
            sum += rows[i][x];
        out[x] = sum;
    }
}

using CoarseRows = std::array<const float *, 2 * kCoarse + 1>;
using FineRows = std::array<const float *, 2 * kFine + 1>;
YOLK_MULTIVERSION
void sumCoarse(const CoarseRows &rows, int width, float *out)
{
    sumRows(rows, width, out);
}
YOLK_MULTIVERSION
void sumFine(const FineRows &rows, int width, float *out)
{
    sumRows(rows, width, out);
}

/// A row and its neighbours as rows: what lies left and right of it must be readable, and 0 beyond the ends.
template <class Rows> Rows across(const float *row)
{
    Rows out;
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = row + i - out.size() / 2;
    return out;
}

YOLK_MULTIVERSION
void judgeSoft(const float *difference, const float *noise, const float *bias, const float *light, const float *counted,
               const float *here, int width, float *out, float *blind)
{
    for (int x = 0; x < width; ++x) {
        const float allowed = kTogether * noise[x] + bias[x] * bias[x];
        const float q = counted[x] >= kFewestSoft ? difference[x] * difference[x] / allowed : 0.0f;
        const float share = std::sqrt(allowed) / std::max(light[x], 1e-12f);
        blind[x] = std::min(blind[x], counted[x] >= kFewestSoft && here[x] > 0.0f ? share : kBlind);
        // What lies wide around a cell says nothing of one that shows nothing.
        out[x] = std::max(out[x], here[x] > 0.0f ? q : 0.0f);
    }
}

YOLK_MULTIVERSION
void judgeDetail(const float *square, const float *count, float fewest, int width, float *out)
{
    for (int x = 0; x < width; ++x) {
        const float q = count[x] >= fewest ? square[x] / count[x] : 0.0f;
        out[x] = std::sqrt(std::max(out[x], q));
    }
}

} // namespace

Comparison compare(const CellFrame &a, const CellFrame &b, Fit fit, double response, ExecContext &ctx)
{
    const int width = a.light.width(), height = a.light.height(), channels = a.light.planes();
    const Tolerances tolerances{1.0f / float(a.pixels), float(response), kShift / std::sqrt(float(a.pixels))};
    const auto compareOneRow = fit == Fit::Close ? compareClosely : compareLoosely;
    Comparison out{Image<float>(width, height, 1), Image<float>(width, height, 1)};
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            std::fill_n(out.blind.row(0, y), width, kBlind);
        const int top = std::max(0, y0 - kCoarse), bottom = std::min(height, y1 + kCoarse), rows = bottom - top;
        enum Plane { Difference, Noise, Bias, Light, Counted, Square, Count, Planes }; // the last two of all channels
        constexpr int kSoft = Square; // planes before it are summed over 9 x 9
        // Planes with an empty rim, so that sums need not stop at the ends.
        Image<float> padded(width + 2 * kCoarse, rows, Planes), wide({width, rows, kSoft}, Fill::Anything),
            sums({width, 1, kSoft}, Fill::Anything);
        const auto term = [&](int plane, int v) { return padded.row(plane, v) + kCoarse; };
        const std::vector<float> nothing(size_t(width), 0.0f);
        /// The rows of a plane around row v of the band; 0 where the picture has none.
        const auto around = [&]<class Rows>(Rows, const Image<float> &image, int plane, int v) {
            Rows found;
            for (int i = 0, reach = int(found.size()) / 2; i < int(found.size()); ++i) {
                const int at = v + i - reach;
                found[size_t(i)] = at >= 0 && at < rows ? image.row(plane, at) : nothing.data();
            }
            return found;
        };
        const auto side = [&](const CellFrame &f, int c, int y) {
            return Side{f.light.row(c, std::max(0, y - 1)),
                        f.light.row(c, y),
                        f.light.row(c, std::min(height - 1, y + 1)),
                        f.clips.row(0, y),
                        f.nearClips.row(0, y),
                        f.absent.row(0, y),
                        float(f.gain),
                        float(f.read)};
        };
        for (int c = 0; c < channels; ++c) {
            for (int y = top; y < bottom; ++y) {
                const int v = y - top;
                compareOneRow(side(a, c, y), side(b, c, y), width, tolerances,
                              {term(Difference, v), term(Noise, v), term(Bias, v), term(Light, v), term(Counted, v),
                               term(Square, v), term(Count, v)});
                for (int p = 0; p < kSoft; ++p)
                    sumCoarse(across<CoarseRows>(term(p, v)), width, wide.row(p, v));
            }
            for (int y = y0; y < y1; ++y) {
                for (int p = 0; p < kSoft; ++p)
                    sumCoarse(around(CoarseRows{}, wide, p, y - top), width, sums.row(p, 0));
                judgeSoft(sums.row(0, 0), sums.row(1, 0), sums.row(2, 0), sums.row(3, 0), sums.row(4, 0),
                          term(Counted, y - top), width, out.apart.row(0, y), out.blind.row(0, y));
            }
        }
        for (int v = 0; v < rows; ++v)
            for (int p = 0; p < 2; ++p)
                sumFine(across<FineRows>(term(Square + p, v)), width, wide.row(p, v));
        for (int y = y0; y < y1; ++y) {
            for (int p = 0; p < 2; ++p)
                sumFine(around(FineRows{}, wide, p, y - top), width, sums.row(p, 0));
            judgeDetail(sums.row(0, 0), sums.row(1, 0), 3.0f * float(channels), width, out.apart.row(0, y));
        }
    });
    return out;
}

std::shared_ptr<const Comparison> CloseComparisons::of(size_t a, size_t b, ExecContext &ctx)
{
    const auto pair = std::minmax(a, b);
    if (const auto at = kept_.find(pair); at != kept_.end())
        return at->second;
    auto out = std::make_shared<const Comparison>(
        compare(frames_[pair.first], frames_[pair.second], Fit::Close, response_, ctx));
    const bool other = a != preferred_ && b != preferred_;
    if (!other || others_ < kMostKept) {
        kept_[pair] = out;
        others_ += other;
    }
    return out;
}

std::vector<std::pair<size_t, size_t>> pairsToCompare(size_t frames, size_t preferred)
{
    std::set<std::pair<size_t, size_t>> out;
    for (size_t i = 0; i < frames; ++i) {
        for (size_t step : {1, 2})
            if (i + step < frames)
                out.insert({i, i + step});
        if (i != preferred)
            out.insert(std::minmax(i, preferred));
    }
    return {out.begin(), out.end()};
}

double responseTolerance(double sensitivity)
{
    constexpr double kAtMiddle = 0.045, kHalved = 70.0; // sensitivity that halves it
    return kAtMiddle * std::exp2(-(sensitivity - 50.0) / kHalved);
}

} // namespace yolk
