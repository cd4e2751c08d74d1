#include "base/vectorise.h"
#include "movement/cells_p.h"

#include <algorithm>
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
YOLK_INLINE float outside(float light, const Side &side, int left, int x, int right)
{
    float low = side.row[x], high = low;
    for (const float *row : {side.above, side.row, side.below})
        for (const int u : {left, x, right}) {
            low = std::min(low, row[u]);
            high = std::max(high, row[u]);
        }
    return std::max(light - high, 0.0f) - std::max(low - light, 0.0f);
}

YOLK_MULTIVERSION
void compareRow(const Side &a, const Side &b, int width, float perCell, float response, float shift, bool loose,
                const Terms &out)
{
    for (int x = 0; x < width; ++x) {
        const int left = x > 0 ? x - 1 : x, right = x + 1 < width ? x + 1 : x;
        const float la = a.row[x], lb = b.row[x];
        const float pa = a.gain * std::max(la, 0.0f) + a.read, pb = b.gain * std::max(lb, 0.0f) + b.read;
        const float va = pa * perCell, vb = pb * perCell;
        const float ax = a.row[right] - a.row[left], ay = a.below[x] - a.above[x];
        const float bx = b.row[right] - b.row[left], by = b.below[x] - b.above[x];
        const float slope = 0.25f * std::min(ax * ax + ay * ay, bx * bx + by * by);
        const bool clipsA = a.clips[x] != 0, clipsB = b.clips[x] != 0, shown = !a.absent[x] && !b.absent[x];
        const bool both = shown && !a.near[x] && !b.near[x];
        // A clipped side says only that there is at least so much light.
        const float edge = kResponses * kResponses * shift * shift * slope;
        constexpr float kSquared = kNoiseSigmas * kNoiseSigmas;
        const bool tooDark = (clipsA && !clipsB && lb + std::sqrt(kSquared * vb + edge) < kDarker * la) ||
                             (clipsB && !clipsA && la + std::sqrt(kSquared * va + edge) < kDarker * lb);
        const float beyondB = outside(la, b, left, x, right), beyondA = -outside(lb, a, left, x, right);
        const float least = std::abs(beyondA) < std::abs(beyondB) ? beyondA : beyondB;
        const float d = loose ? least : la - lb, v = kSquared * (va + vb);
        const float s =
            kResponses * response * std::max(std::max(la, lb), 0.0f) + kNoiseSigmas * kCommon * std::sqrt(pa + pb);
        const float q = std::min(d * d / (v + s * s + edge), kContradicts);
        out.difference[x] = both ? d : 0.0f;
        out.noise[x] = both ? v : 0.0f;
        out.bias[x] = both ? s + std::sqrt(edge) : 0.0f;
        out.light[x] = both ? std::max(std::max(la, lb), 0.0f) : 0.0f;
        out.counted[x] = both ? 1.0f : 0.0f;
        out.square[x] += both ? q : (shown && tooDark ? kContradicts : 0.0f);
        out.count[x] += both || (shown && tooDark) ? 1.0f : 0.0f;
    }
}

/// out[x] = sum of in[x - radius .. x + radius], cut at the ends.
YOLK_MULTIVERSION
void sumAcross(const float *in, int width, int radius, float *out)
{
    for (int x = 0; x < width; ++x)
        out[x] = in[x];
    for (int r = 1; r <= radius; ++r) {
        for (int x = r; x < width; ++x)
            out[x] += in[x - r];
        for (int x = 0; x + r < width; ++x)
            out[x] += in[x + r];
    }
}

YOLK_MULTIVERSION
void addRow(const float *in, int width, float *out)
{
    for (int x = 0; x < width; ++x)
        out[x] += in[x];
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
    const float shift = kShift / std::sqrt(float(a.pixels));
    Comparison out{Image<float>(width, height, 1), Image<float>(width, height, 1)};
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            std::fill_n(out.blind.row(0, y), width, kBlind);
        const int top = std::max(0, y0 - kCoarse), bottom = std::min(height, y1 + kCoarse), rows = bottom - top;
        enum Plane { Difference, Noise, Bias, Light, Counted, Square, Count, Planes }; // the last two of all channels
        constexpr int kSoft = Square; // planes before it are summed over 9 x 9
        Image<float> terms(width, rows, Planes), wide(width, rows, kSoft), sums(width, 1, kSoft);
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
                compareRow(side(a, c, y), side(b, c, y), width, 1.0f / float(a.pixels), float(response), shift,
                           fit == Fit::Loose,
                           {terms.row(Difference, v), terms.row(Noise, v), terms.row(Bias, v), terms.row(Light, v),
                            terms.row(Counted, v), terms.row(Square, v), terms.row(Count, v)});
                for (int p = 0; p < kSoft; ++p)
                    sumAcross(terms.row(p, v), width, kCoarse, wide.row(p, v));
            }
            for (int y = y0; y < y1; ++y) {
                for (int p = 0; p < kSoft; ++p) {
                    std::fill_n(sums.row(p, 0), width, 0.0f);
                    for (int v = std::max(top, y - kCoarse); v < std::min(bottom, y + kCoarse + 1); ++v)
                        addRow(wide.row(p, v - top), width, sums.row(p, 0));
                }
                judgeSoft(sums.row(0, 0), sums.row(1, 0), sums.row(2, 0), sums.row(3, 0), sums.row(4, 0),
                          terms.row(Counted, y - top), width, out.apart.row(0, y), out.blind.row(0, y));
            }
        }
        Image<float> across(width, rows, 2);
        for (int v = 0; v < rows; ++v) {
            sumAcross(terms.row(Square, v), width, kFine, across.row(0, v));
            sumAcross(terms.row(Count, v), width, kFine, across.row(1, v));
        }
        for (int y = y0; y < y1; ++y) {
            for (int p = 0; p < 2; ++p) {
                std::fill_n(sums.row(p, 0), width, 0.0f);
                for (int v = std::max(top, y - kFine); v < std::min(bottom, y + kFine + 1); ++v)
                    addRow(across.row(p, v - top), width, sums.row(p, 0));
            }
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
    auto out =
        std::make_shared<const Comparison>(compare(frames_[pair.first], frames_[pair.second], Fit::Close, response_, ctx));
    if (a == preferred_ || b == preferred_)
        kept_[pair] = out;
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
