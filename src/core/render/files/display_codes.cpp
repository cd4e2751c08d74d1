#include "render/files/display_codes.h"

#include "base/vectorise.h"
#include "colour/transfer.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <vector>

namespace yolk {
namespace {

/// sRGB coding by table: linear between 2^kBits steps. Near black the curve is a straight line, further up the error of
/// a chord is below 0.2 of a 16-bit code (measured by a test).
constexpr int kBits = 14;
const std::vector<float> &srgbTable()
{
    static const std::vector<float> table = [] {
        std::vector<float> t((size_t(1) << kBits) + 2);
        for (size_t i = 0; i < t.size(); ++i)
            t[i] = float(encodeSrgb(double(i) / (1 << kBits)));
        return t;
    }();
    return table;
}

YOLK_MULTIVERSION
void codeRow(const float *__restrict in, int count, const float *__restrict table, float top, int *__restrict out)
{
    for (int x = 0; x < count; ++x) {
        float v = in[x] > 0.0f ? in[x] : 0.0f; // NaN falls to 0
        v = v < 1.0f ? v : 1.0f;
        const float at = v * float(1 << kBits);
        const int i = int(at);
        out[x] = int((table[i] + (at - float(i)) * (table[i + 1] - table[i])) * top + 0.5f);
    }
}

/// 8-bit codes by the leading bits of a value: kSteps an octave from 2^-kOctaves on, below which the code is 0. Where
/// two codes meet they do so within 1/40 of a code of the exact place; the table stays in the processor's first cache.
constexpr int kOctaves = 13, kStepBits = 11;
const std::vector<uint8_t> &eightBitTable()
{
    static const std::vector<uint8_t> table = [] {
        std::vector<uint8_t> t((size_t(kOctaves) << kStepBits) + 1);
        for (size_t i = 0; i < t.size(); ++i) {
            const double part = (double(i & ((1u << kStepBits) - 1)) + 0.5) / (1 << kStepBits);
            const double value = std::ldexp(1.0 + part, int(i >> kStepBits) - kOctaves);
            t[i] = uint8_t(std::clamp(std::lround(255.0 * encodeSrgb(value)), 1l, 254l)); // the ends are told exactly
        }
        t.front() = 0;
        t.back() = 255;
        return t;
    }();
    return table;
}

/// Places in that table.
YOLK_MULTIVERSION
void placeRow8(const float *__restrict in, int count, float white, float black, int32_t *__restrict out)
{
    constexpr int kLast = kOctaves << kStepBits;
    constexpr int kShift = 23 - kStepBits, kFirst = (127 - kOctaves) << kStepBits;
    constexpr float kLeast = 1.0f / float(1 << kOctaves);
    for (int x = 0; x < count; ++x) {
        float v = in[x] > kLeast ? in[x] : kLeast; // NaN falls to the least
        v = v < 1.0f ? v : 1.0f;
        const int place = (std::bit_cast<int32_t>(v) >> kShift) - kFirst;
        out[x] = v >= white ? kLast : v < black ? 0 : place;
    }
}

constexpr int kPiece = 256; // pixels whose places are found together

/// Places of up to kPiece values in the table that is returned.
const uint8_t *place8(const float *values, int count, int32_t *places)
{
    static const float white = float(decodeSrgb(254.5 / 255.0)),
                       black = float(decodeSrgb(0.5 / 255.0)); // as outputEnds()
    placeRow8(values, count, white, black, places);
    return eightBitTable().data();
}

template <class T> void encodeRow(ImageView<const float> display, int y, std::span<T> out)
{
    constexpr int kChunk = 256; // planar codes of some pixels, then interleaved
    std::array<std::array<int, kChunk>, 3> codes;
    for (int x0 = 0; x0 < display.width(); x0 += kChunk) {
        const int count = std::min(kChunk, display.width() - x0);
        for (int c = 0; c < 3; ++c)
            codeRow(display.row(c, y) + x0, count, srgbTable().data(), float(std::numeric_limits<T>::max()),
                    codes[size_t(c)].data());
        T *to = out.data() + size_t(x0) * 3;
        for (size_t x = 0; x < size_t(count); ++x)
            for (size_t c = 0; c < 3; ++c)
                to[3 * x + c] = T(codes[c][x]);
    }
}

} // namespace

void encodeRow16(ImageView<const float> display, int y, std::span<uint16_t> out)
{
    encodeRow(display, y, out);
}

void encodeRow8(ImageView<const float> display, int y, std::span<uint8_t> out)
{
    std::array<int32_t, kPiece> places;
    for (int x0 = 0; x0 < display.width(); x0 += kPiece)
        for (int c = 0; c < 3; ++c) {
            const int count = std::min(kPiece, display.width() - x0);
            const uint8_t *table = place8(display.row(c, y) + x0, count, places.data());
            uint8_t *to = out.data() + 3 * x0 + c;
            for (int x = 0; x < count; ++x)
                to[3 * x] = table[places[size_t(x)]];
        }
}

void encodeRowRgb32(ImageView<const float> display, int y, uint32_t *out)
{
    std::array<std::array<int32_t, kPiece>, 3> places;
    for (int x0 = 0; x0 < display.width(); x0 += kPiece) {
        const int count = std::min(kPiece, display.width() - x0);
        const uint8_t *table = nullptr;
        for (int c = 0; c < 3; ++c)
            table = place8(display.row(c, y) + x0, count, places[size_t(c)].data());
        const int32_t *r = places[0].data(), *g = places[1].data(), *b = places[2].data();
        for (int x = 0; x < count; ++x)
            out[x0 + x] =
                0xff000000u | uint32_t(table[r[x]]) << 16 | uint32_t(table[g[x]]) << 8 | uint32_t(table[b[x]]);
    }
}

} // namespace yolk
