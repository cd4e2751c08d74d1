#include "colour/oklab_rows.h"

#include "base/vectorise.h"

#include <algorithm>

namespace yolk {
namespace {

struct Matrices {
    float toCones[9], fromCones[9], lightness[3]; ///< of cube roots: Oklab's L
};

/// How chroma is brought in.
struct Fit {
    float chroma; ///< that it is multiplied by first
    float top;    ///< 1: it ends hard
};
constexpr float kKnee = 0.75f; // share of the chroma at `top` from which on it is squeezed

using Long4 = int64_t __attribute__((vector_size(32)));

/// Of values of either sign, within 1e-6 of them: a guess of the inverse root from the bits, and two steps of third
/// order, which need no division and wait on each other less than three of Newton's.
YOLK_INLINE Float8 cubeRoot(Float8 value)
{
    constexpr int32_t kSign = int32_t(0x80000000), kFourThirdsOfBias = 1419967116; // within 3.5 %, by trial
    const Int8 bits = (Int8)value, sign = bits & kSign, positive = bits & ~kSign;
    const Float8 x = (Float8)positive;
    const Int8 guess =
        kFourThirdsOfBias - __builtin_convertvector(__builtin_convertvector(positive, Float8) * (1.0f / 3.0f), Int8);
    Float8 r = (Float8)guess;
    for (int i = 0; i < 2; ++i) {
        const Float8 miss = 1.0f - (x * r) * (r * r);
        r = r + (r * miss) * (1.0f / 3.0f + miss * (2.0f / 9.0f));
    }
    const Float8 root = x * (r * r);
    return (Float8)((Int8)root | sign);
}

YOLK_INLINE Float8 row(const float *m, Float8 a, Float8 b, Float8 c)
{
    return m[0] * a + m[1] * b + m[2] * c;
}

YOLK_INLINE bool any(Int8 mask)
{
    const Long4 halves = (Long4)mask;
    return (halves[0] | halves[1] | halves[2] | halves[3]) != 0;
}

constexpr float kSlack = 1e-4f; // rounding of the published matrices: grey itself misses the cube by some 1e-5

YOLK_INLINE Int8 below(Float8 r, Float8 g, Float8 b)
{
    return least(least(r, g), b) < -kSlack;
}
YOLK_INLINE Int8 above(Float8 r, Float8 g, Float8 b, float top)
{
    return most(most(r, g), b) > top + kSlack;
}

/// How much of the distance `d` of the cones' roots from grey, up to t, does not lie `outside`, for the pixels that are
/// `far` there. Along that line each of R, G and B is a cubic in t.
template <class Outside>
YOLK_INLINE Float8 inside(Float8 t, Int8 far, Float8 grey, const Float8 *d, const Matrices &m, Outside outside)
{
    constexpr int kHalvings = 10; // to a thousandth of the chroma
    Float8 cubic[3][4] = {};
    for (int k = 0; k < 3; ++k) {
        const Float8 powers[4] = {grey * grey * grey, 3.0f * grey * grey * d[k], 3.0f * grey * d[k] * d[k],
                                  d[k] * d[k] * d[k]};
        for (int c = 0; c < 3; ++c)
            for (int p = 0; p < 4; ++p)
                cubic[c][p] += m.fromCones[3 * c + k] * powers[p];
    }
    const auto at = [&](int c, Float8 along) {
        return cubic[c][0] + along * (cubic[c][1] + along * (cubic[c][2] + along * cubic[c][3]));
    };
    Float8 low{}, high = t; // grey is inside, the colour itself is not
    for (int i = 0; i < kHalvings; ++i) {
        const Float8 middle = 0.5f * (low + high);
        const Int8 out = outside(at(0, middle), at(1, middle), at(2, middle));
        low = out ? low : middle;
        high = out ? middle : high;
    }
    return far ? low : t;
}

YOLK_INLINE Int8 within(Float8 v, float slack)
{
    return (v >= -slack) & (v <= 1.0f + slack); // NaN is not
}

/// Pixels that stay as they are, wherever their neighbours go: inside, and so far from `top` that with all of the chroma
/// that a knee looks at they stay below it too. That raises the largest channel by at most 0.98 of what lies between it
/// and the least one (Rec. 709 0.59, ROMM 0.98: by search, a test repeats it).
YOLK_INLINE Int8 lieWell(Float8 r, Float8 g, Float8 b, float top)
{
    const Float8 high = most(most(r, g), b), low = least(least(r, g), b);
    constexpr float kWhite = 1.0f - 1e-5f; // from here on, and below 0, rounding decides what is white or black
    return (low >= 0.0f) & (top < 1.0f ? high + (high - low) <= top : high <= kWhite); // NaN is not
}

/// Eight pixels.
YOLK_INLINE void fitEight(float *toR, float *toG, float *toB, const Matrices &m, const Fit &fit)
{
    const Float8 r = loaded(toR), g = loaded(toG), b = loaded(toB);
    const Float8 zero{}, one = zero + 1.0f;
    float *const to[3] = {toR, toG, toB};
    const Float8 in[3] = {r, g, b};
    if (fit.chroma == 1.0f && !any(~lieWell(r, g, b, fit.top))) {
        for (int c = 0; c < 3; ++c)
            store(most(zero, least(in[c], one)), to[c]);
        return;
    }
    Float8 d[3];
    for (int k = 0; k < 3; ++k)
        d[k] = cubeRoot(row(m.toCones + 3 * k, r, g, b));
    const Float8 grey = row(m.lightness, d[0], d[1], d[2]);
    for (int k = 0; k < 3; ++k)
        d[k] -= grey;
    Float8 rgb[3];
    const auto place = [&](Float8 t) { // the cones' roots are linear along the line from grey to the colour
        Float8 cones[3];
        for (int k = 0; k < 3; ++k) {
            const Float8 root = grey + t * d[k];
            cones[k] = root * root * root;
        }
        for (int c = 0; c < 3; ++c)
            rgb[c] = row(m.fromCones + 3 * c, cones[0], cones[1], cones[2]);
    };
    const Int8 black = ~(grey > zero), white = grey >= one; // NaN is black
    Float8 t = zero + fit.chroma;
    Int8 bent{};
    if (fit.top < 1.0f) {
        place(t / kKnee);
        constexpr float kGrey = 1e-4f; // what is grey but for rounding, stays
        bent = above(rgb[0], rgb[1], rgb[2], fit.top) & (most(most(r, g), b) - least(least(r, g), b) > kGrey) & ~black &
               ~white;
        if (any(bent)) {
            const Float8 most = inside(t / kKnee, bent, grey, d, m,
                                       [&](Float8 r2, Float8 g2, Float8 b2) { return above(r2, g2, b2, fit.top); });
            const Float8 over = (t - kKnee * most) / ((1.0f - kKnee) * (most > 1e-6f ? most : zero + 1e-6f));
            const Float8 rise = over + over * over, squeezed = rise / (1.0f + rise);
            t = bent ? most * (kKnee + (1.0f - kKnee) * squeezed) : t;
        }
    }
    place(t);
    const auto outside = [&](Float8 r2, Float8 g2, Float8 b2) { return below(r2, g2, b2) | above(r2, g2, b2, 1.0f); };
    const Int8 far = outside(rgb[0], rgb[1], rgb[2]) & ~black & ~white;
    if (any(far))
        place(inside(t, far, grey, d, m, outside));
    // Where the chroma stays, so does what lies inside: a pixel must not depend on those beside it.
    const Int8 stays = fit.chroma == 1.0f
                           ? ~bent & within(r, kFitRounding) & within(g, kFitRounding) & within(b, kFitRounding)
                           : Int8{};
    for (int c = 0; c < 3; ++c) {
        const Float8 fitted = black ? zero : white ? one : rgb[c];
        store(most(zero, least(stays ? in[c] : fitted, one)), to[c]);
    }
}

YOLK_MULTIVERSION
void fitRow(float *r, float *g, float *b, int count, const Matrices &m, const Fit &fit)
{
    int x = 0;
    for (; x + 8 <= count; x += 8)
        fitEight(r + x, g + x, b + x, m, fit);
    if (x == count)
        return;
    float last[3][8] = {};
    float *const from[3] = {r, g, b};
    for (int c = 0; c < 3; ++c)
        std::copy(from[c] + x, from[c] + count, last[c]);
    fitEight(last[0], last[1], last[2], m, fit);
    for (int c = 0; c < 3; ++c)
        std::copy(last[c], last[c] + (count - x), from[c] + x);
}

/// To the cones, by their cube roots or cubes, and on: three values a pixel, eight pixels at once.
struct Way {
    float first[9], second[9];
    bool roots;
};

YOLK_MULTIVERSION
void turnRow(const float *a, const float *b, const float *c, int count, const Way &way, float *outA, float *outB,
             float *outC)
{
    float last[3][8] = {};
    const float *from[3] = {a, b, c};
    float *to[3] = {outA, outB, outC};
    for (int x = 0; x < count; x += 8) {
        const int here = count - x < 8 ? count - x : 8;
        Float8 in[3];
        for (int k = 0; k < 3; ++k) {
            if (here < 8)
                std::memcpy(last[k], from[k] + x, size_t(here) * sizeof(float));
            in[k] = loaded(here < 8 ? last[k] : from[k] + x);
        }
        Float8 cones[3];
        for (int k = 0; k < 3; ++k) {
            const Float8 v = row(way.first + 3 * k, in[0], in[1], in[2]);
            cones[k] = way.roots ? cubeRoot(v) : v * v * v;
        }
        for (int k = 0; k < 3; ++k) {
            store(row(way.second + 3 * k, cones[0], cones[1], cones[2]), here < 8 ? last[k] : to[k] + x);
            if (here < 8)
                std::memcpy(to[k] + x, last[k], size_t(here) * sizeof(float));
        }
    }
}

void turnRow(const float *const from[3], int count, const Matrix3 &first, bool roots, const Matrix3 &second,
             float *const to[3])
{
    Way way;
    std::ranges::copy(first.m, way.first);
    std::ranges::copy(second.m, way.second);
    way.roots = roots;
    turnRow(from[0], from[1], from[2], count, way, to[0], to[1], to[2]);
}

} // namespace

void oklabOfRow(const float *const rgb[3], int count, const OklabSpace &space, float *const lab[3])
{
    turnRow(rgb, count, space.toCones(), true, OklabSpace::conesToLab(), lab);
}

void rgbOfRow(const float *const lab[3], int count, const OklabSpace &space, float *const rgb[3])
{
    static const Matrix3 kToCones = inverse(OklabSpace::conesToLab());
    turnRow(lab, count, kToCones, false, space.fromCones(), rgb);
}

void fitColours(float *r, float *g, float *b, int count, const OklabSpace &space, float chroma)
{
    fitColoursSoftly(r, g, b, count, space, chroma, 1.0f);
}

void fitColoursSoftly(float *r, float *g, float *b, int count, const OklabSpace &space, float chroma, float top)
{
    Matrices m;
    std::ranges::copy(space.toCones().m, m.toCones);
    std::ranges::copy(space.fromCones().m, m.fromCones);
    std::ranges::copy(OklabSpace::lightnessRow(), m.lightness);
    fitRow(r, g, b, count, m, {chroma, top});
}

} // namespace yolk
