#include "render/stages/light_code.h"

#include "base/quick_math.h"
#include "base/vectorise.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr float kLn2 = 0.69314718f;
constexpr int kPiece = 256; // pixels that are worked on together

/// log(1 + t) / t of a positive t, within 3e-6 of it: for small t by the series of 2 atanh(t / (2 + t)).
YOLK_INLINE float logShare(float t)
{
    const float z = t / (2.0f + t), q = z * z;
    const float small =
        2.0f / (2.0f + t) * (1.0f + q * (1.0f / 3.0f + q * (1.0f / 5.0f + q * (1.0f / 7.0f + q * (1.0f / 9.0f)))));
    const float large = quickLog2(1.0f + t) * kLn2 / t;
    return t < 1.0f ? small : large;
}

/// (exp(y) - 1) / y of a positive y, within 1e-5 of it: for small y by Taylor's series.
YOLK_INLINE float powerShare(float y)
{
    const float small =
        1.0f +
        y * (1.0f / 2 + y * (1.0f / 6 + y * (1.0f / 24 + y * (1.0f / 120 + y * (1.0f / 720 + y * (1.0f / 5040))))));
    float power = y / kLn2;
    power = power < 100.0f ? power : 100.0f;
    const float large = (quickExp2(power) - 1.0f) / y;
    return y < 0.7f ? small : large;
}

struct PerKnee {
    float r, g, b;
};

/// What pixels are multiplied by.
YOLK_MULTIVERSION
void codingRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, PerKnee per, int count,
               float *__restrict factor)
{
    for (int x = 0; x < count; ++x) {
        const float t = per.r * r[x] + per.g * g[x] + per.b * b[x];
        const float share = logShare(t > 0.0f ? t : 1.0f);
        factor[x] = t > 0.0f ? share : 1.0f;
    }
}

YOLK_MULTIVERSION
void decodingRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, PerKnee per,
                 int count, float *__restrict factor)
{
    for (int x = 0; x < count; ++x) {
        const float y = per.r * r[x] + per.g * g[x] + per.b * b[x];
        const float share = powerShare(y > 0.0f ? y : 1.0f);
        factor[x] = y > 0.0f ? share : 1.0f;
    }
}

YOLK_MULTIVERSION
void multiplyRow(const float *in, const float *__restrict factor, int count, float *out)
{
    for (int x = 0; x < count; ++x)
        out[x] = in[x] * factor[x];
}

} // namespace

LightCode::LightCode(const Vector3 &luminance, double knee)
{
    for (size_t c = 0; c < 3; ++c)
        perKnee_[c] = float(luminance[c] / knee);
}

void LightCode::code(const float *const *in, int planes, int count, float *const *out) const
{
    float factor[kPiece];
    for (int x = 0; x < count; x += kPiece) {
        const int size = std::min(kPiece, count - x);
        codingRow(in[0] + x, in[1] + x, in[2] + x, {perKnee_[0], perKnee_[1], perKnee_[2]}, size, factor);
        for (int p = 0; p < planes; ++p)
            multiplyRow(in[p] + x, factor, size, out[p] + x);
    }
}

void LightCode::decode(ImageView<float> picture, ExecContext &ctx) const
{
    forEachBand(ctx, picture.height(), [&](int y0, int y1) {
        float factor[kPiece];
        for (int y = y0; y < y1; ++y)
            for (int x = 0; x < picture.width(); x += kPiece) {
                const int size = std::min(kPiece, picture.width() - x);
                const auto row = [&](int p) { return picture.row(p, y) + x; };
                decodingRow(row(0), row(1), row(2), {perKnee_[0], perKnee_[1], perKnee_[2]}, size, factor);
                for (int p = 0; p < picture.planes(); ++p)
                    multiplyRow(row(p), factor, size, row(p));
            }
    });
}

} // namespace yolk
