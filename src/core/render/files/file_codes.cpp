#include "render/files/file_codes.h"

#include "base/vectorise.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

namespace yolk {
namespace {

/// The table has kSteps values an octave, from 2^-kOctaves to 1; below, light is 0 at 0 and straight between.
constexpr int kOctaves = 24, kStepBits = 9;

std::vector<float> tableOf(Transfer transfer)
{
    std::vector<float> table((size_t(kOctaves) << kStepBits) + 2);
    for (size_t i = 0; i < table.size(); ++i) {
        const double part = double(i & ((1u << kStepBits) - 1)) / (1 << kStepBits);
        const double light = std::ldexp(1.0 + part, int(i >> kStepBits) - kOctaves);
        table[i] = float(encodeLight(transfer, std::min(light, 1.0)));
    }
    return table;
}

YOLK_MULTIVERSION
void codeRow(const float *__restrict in, int count, float scale, const float *__restrict table, float *__restrict out)
{
    constexpr int kShift = 23 - kStepBits, kFirst = (127 - kOctaves) << kStepBits;
    constexpr float kLeast = 1.0f / float(1 << kOctaves);
    for (int x = 0; x < count; ++x) {
        float v = in[x] * scale;
        v = v > 0.0f ? v : 0.0f; // NaN falls to 0
        v = v < 1.0f ? v : 1.0f;
        const float held = v > kLeast ? v : kLeast;
        const int32_t bits = std::bit_cast<int32_t>(held), i = (bits >> kShift) - kFirst;
        const float part = float(bits & ((1 << kShift) - 1)) * (1.0f / float(1 << kShift));
        const float code = table[i] + part * (table[i + 1] - table[i]);
        out[x] = v < kLeast ? code * (v / kLeast) : code;
    }
}

/// 0 to 1, even, the same for a pixel whenever it is asked for.
YOLK_INLINE float chanceAt(uint32_t x, uint32_t y, uint32_t channel)
{
    uint32_t h = x * 0x9e3779b1u ^ y * 0x85ebca77u ^ channel * 0xc2b2ae3du;
    h = (h ^ (h >> 15)) * 0x2c1b3c6du;
    h = (h ^ (h >> 12)) * 0x297a2d39u;
    return float((h ^ (h >> 15)) >> 8) * 0x1p-24f;
}

YOLK_MULTIVERSION
void roundRow(const float *__restrict codes, int count, float top, uint16_t *__restrict out)
{
    for (int i = 0; i < count; ++i)
        out[i] = uint16_t(int(codes[i] * top + 0.5f));
}

YOLK_MULTIVERSION
void ditherRow(const float *__restrict codes, int pixels, uint32_t y, uint16_t *__restrict out)
{
    for (int x = 0; x < pixels; ++x)
        for (int c = 0; c < 3; ++c) {
            const float code = codes[3 * x + c] * 255.0f;
            const int near = int(code + chanceAt(uint32_t(x), y, uint32_t(c)));
            out[3 * x + c] = uint16_t(code < 0.5f ? 0 : code >= 254.5f ? 255 : near); // as outputEnds() says
        }
}

} // namespace

FileCoder::FileCoder(Transfer transfer, double scale) : scale_(float(scale)), table_(tableOf(transfer))
{
}

FileCoder::FileCoder(const TargetProfile &profile) : profile_(std::make_shared<const ProfileTransform>(profile))
{
}

void FileCoder::code(ImageView<const float> display, int y, std::span<float> codes) const
{
    constexpr int kPiece = 256; // planar codes of some pixels, then interleaved
    std::array<float, kPiece> piece;
    for (int x0 = 0; x0 < display.width(); x0 += kPiece) {
        const int count = std::min(kPiece, display.width() - x0);
        for (int c = 0; c < 3; ++c) {
            const float *from = display.row(c, y) + x0;
            if (!profile_) {
                codeRow(from, count, scale_, table_.data(), piece.data());
                from = piece.data();
            }
            float *to = codes.data() + 3 * size_t(x0) + c;
            for (int x = 0; x < count; ++x)
                to[3 * x] = from[x];
        }
    }
    if (profile_)
        profile_->convert(codes, codes);
}

void roundCodes(std::span<const float> codes, int bits, std::span<uint16_t> out)
{
    roundRow(codes.data(), int(codes.size()), float((1 << bits) - 1), out.data());
}

void ditherCodes(std::span<const float> codes, int y, std::span<uint16_t> out)
{
    ditherRow(codes.data(), int(codes.size() / 3), uint32_t(y), out.data());
}

} // namespace yolk
