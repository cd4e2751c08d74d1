#include "colour/oklab_rows.h"

#include "base/vectorise.h"

#include <algorithm>
#include <cstring>

namespace yolk {
namespace {

struct Matrices {
    float toCones[9], fromCones[9], lightness[3]; ///< of cube roots: Oklab's L
};

YOLK_INLINE Float8 least(Float8 a, Float8 b)
{
    return a < b ? a : b;
}
YOLK_INLINE Float8 most(Float8 a, Float8 b)
{
    return a > b ? a : b;
}

/// Of values of either sign, within 1e-6 of them: Newton's method for the inverse root, which needs no division, from a
/// guess from the bits.
YOLK_INLINE Float8 cubeRoot(Float8 value)
{
    constexpr int32_t kSign = int32_t(0x80000000), kFourThirdsOfBias = 1419967116; // within 3.5 %, by trial
    const Int8 bits = (Int8)value, sign = bits & kSign, positive = bits & ~kSign;
    const Float8 x = (Float8)positive;
    const Int8 guess =
        kFourThirdsOfBias - __builtin_convertvector(__builtin_convertvector(positive, Float8) * (1.0f / 3.0f), Int8);
    Float8 r = (Float8)guess;
    for (int i = 0; i < 3; ++i)
        r = r * (4.0f - x * r * r * r) * (1.0f / 3.0f);
    const Float8 root = x * r * r;
    return (Float8)((Int8)root | sign);
}

YOLK_INLINE Float8 row(const float *m, Float8 a, Float8 b, Float8 c)
{
    return m[0] * a + m[1] * b + m[2] * c;
}

YOLK_INLINE bool any(Int8 mask)
{
    int32_t lanes[8], out = 0;
    std::memcpy(lanes, &mask, sizeof lanes);
    for (int32_t lane : lanes)
        out |= lane;
    return out != 0;
}

/// Eight pixels. Along the line from grey (t = 0) to the colour (t = 1) the cube roots of the cones are linear in t, so
/// that each of R, G and B is a cubic in t.
YOLK_INLINE void fitEight(Float8 &r, Float8 &g, Float8 &b, const Matrices &m, float chroma)
{
    constexpr int kHalvings = 10;   // to a thousandth of the chroma
    constexpr float kSlack = 1e-4f; // rounding of the published matrices: grey itself misses the cube by some 1e-5
    const Float8 zero{}, one = zero + 1.0f;
    const Float8 cones[3] = {row(m.toCones, r, g, b), row(m.toCones + 3, r, g, b), row(m.toCones + 6, r, g, b)};
    Float8 roots[3];
    for (int k = 0; k < 3; ++k)
        roots[k] = cubeRoot(cones[k]);
    const Float8 grey = row(m.lightness, roots[0], roots[1], roots[2]);
    Float8 cubic[3][4] = {};
    for (int k = 0; k < 3; ++k) {
        const Float8 d = roots[k] - grey;
        const Float8 powers[4] = {grey * grey * grey, 3.0f * grey * grey * d, 3.0f * grey * d * d, d * d * d};
        for (int c = 0; c < 3; ++c)
            for (int p = 0; p < 4; ++p)
                cubic[c][p] += m.fromCones[3 * c + k] * powers[p];
    }
    const auto at = [&](int c, Float8 t) {
        return cubic[c][0] + t * (cubic[c][1] + t * (cubic[c][2] + t * cubic[c][3]));
    };
    const auto outside = [&](Float8 t) {
        Int8 out{};
        for (int c = 0; c < 3; ++c) {
            const Float8 v = at(c, t);
            out |= (v < -kSlack) | (v > 1.0f + kSlack);
        }
        return out;
    };
    Float8 t = zero + chroma;
    const Int8 black = ~(grey > zero), white = grey >= one; // NaN is black
    const Int8 far = outside(t) & ~black & ~white;
    if (any(far)) {
        Float8 low = zero, high = t; // grey is inside, the colour itself is not
        for (int i = 0; i < kHalvings; ++i) {
            const Float8 middle = 0.5f * (low + high);
            const Int8 out = outside(middle);
            low = out ? low : middle;
            high = out ? middle : high;
        }
        t = far ? low : t;
    }
    Float8 *const to[3] = {&r, &g, &b};
    for (int c = 0; c < 3; ++c) {
        const Float8 v = white ? one : most(zero, least(at(c, t), one));
        *to[c] = black ? zero : v;
    }
}

YOLK_MULTIVERSION
void fitRow(float *r, float *g, float *b, int count, const Matrices &m, float chroma)
{
    for (int x = 0; x < count; x += 8) {
        const size_t bytes = size_t(std::min(8, count - x)) * sizeof(float);
        Float8 red{}, green{}, blue{};
        std::memcpy(&red, r + x, bytes);
        std::memcpy(&green, g + x, bytes);
        std::memcpy(&blue, b + x, bytes);
        fitEight(red, green, blue, m, chroma);
        std::memcpy(r + x, &red, bytes);
        std::memcpy(g + x, &green, bytes);
        std::memcpy(b + x, &blue, bytes);
    }
}

} // namespace

void fitColours(float *r, float *g, float *b, int count, const OklabSpace &space, float chroma)
{
    Matrices m;
    std::ranges::copy(space.toCones().m, m.toCones);
    std::ranges::copy(space.fromCones().m, m.fromCones);
    std::ranges::copy(OklabSpace::lightnessRow(), m.lightness);
    fitRow(r, g, b, count, m, chroma);
}

} // namespace yolk
