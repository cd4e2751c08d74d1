#include "tone/zone_rows.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "tone/tone_zones.h"

#include <algorithm>

namespace yolk {
namespace {

constexpr int kKnots = int(kZoneLightness.size()) + 2;
constexpr int kPiece = 64;

/// The curve's values at the knots for each pixel of a piece: ToneCurve's rule, which keeps them apart.
YOLK_MULTIVERSION
void knotRow(const float *__restrict zone, float knot, float down, float up, float most, const float *__restrict below,
             int count, float *__restrict value)
{
    for (int x = 0; x < count; ++x) {
        const float z = zone[x] * 0.01f, wanted = knot + z * (z < 0.0f ? down : up),
                    least = below[x] + float(kZoneApart);
        const float v = wanted > least ? wanted : least;
        value[x] = v < most ? v : most;
    }
}

/// Of the cubics through the knots of each pixel, at lightness L; MonotoneSpline on rows.
YOLK_MULTIVERSION
void splineRow(const float *__restrict L, const float (*__restrict value)[kPiece], const float *__restrict knots,
               int count, float *__restrict out)
{
    for (int x = 0; x < count; ++x)
        out[x] = 0.0f;
    for (int i = 0; i + 1 < kKnots; ++i) {
        const float h = knots[i + 1] - knots[i], before = i > 0 ? knots[i] - knots[i - 1] : h,
                    after = i + 2 < kKnots ? knots[i + 2] - knots[i + 1] : h;
        const float *a = value[i], *b = value[i + 1], *p = i > 0 ? value[i - 1] : nullptr,
                    *n = i + 2 < kKnots ? value[i + 2] : nullptr;
        const bool isFirst = i == 0, isLast = i + 2 == kKnots;
        const float *left = isFirst ? a : p, *right = isLast ? b : n;
        for (int x = 0; x < count; ++x) {
            const float own = (b[x] - a[x]) / h;
            const float back = (a[x] - left[x]) / before, forth = (right[x] - b[x]) / after;
            const float da = isFirst ? own * h : 2.0f * own * back / (own + back) * h;
            const float db = isLast ? own * h : 2.0f * own * forth / (own + forth) * h;
            const float t = (L[x] - knots[i]) / h, rise = b[x] - a[x];
            const float y = a[x] + t * (da + t * (3.0f * rise - 2.0f * da - db + t * (da + db - 2.0f * rise)));
            out[x] = L[x] >= knots[i] ? y : out[x];
        }
    }
}

/// Whether a pixel has a zone that is moved, as a number above 0; returns whether any of them has.
YOLK_MULTIVERSION
bool movedRow(const float *const zones[5], int first, int count, float *__restrict moved)
{
    int any = 0;
    for (int x = 0; x < count; ++x) {
        float sum = 0.0f;
        for (int k = 0; k < 5; ++k)
            sum += zones[k][first + x] < 0.0f ? -zones[k][first + x] : zones[k][first + x];
        moved[x] = sum;
        any |= sum > 0.0f;
    }
    return any != 0;
}

YOLK_MULTIVERSION
void lightnessRow(const float *__restrict tone, int count, float *__restrict light, float *__restrict L)
{
    for (int x = 0; x < count; ++x) {
        const float t = tone[x] < 0.0f ? tone[x] : 0.0f;
        const float d = quickExp2(t), root = quickExp2(t * (1.0f / 3.0f));
        light[x] = t;
        L[x] = d > 0.008856452f ? 116.0f * root - 16.0f : 903.2963f * d; // [CIE15]
    }
}

YOLK_MULTIVERSION
void stopsRow(const float *__restrict L, const float *__restrict light, const float *__restrict moved, int count,
              float *__restrict stops)
{
    for (int x = 0; x < count; ++x) {
        const float root = (L[x] + 16.0f) * (1.0f / 116.0f);
        const float d = L[x] > 8.0f ? root * root * root : L[x] * (1.0f / 903.2963f);
        const float turned = quickLog2(d > 1e-37f ? d : 1e-37f) - light[x];
        stops[x] = moved[x] > 0.0f ? turned : 0.0f;
    }
}

} // namespace

void zoneStopsRow(const float *tone, const float *const zones[5], int width, float *stops)
{
    constexpr float kZero[kPiece]{};
    float knots[kKnots]{};
    knots[kKnots - 1] = 100.0f;
    for (size_t k = 0; k < kZoneLightness.size(); ++k)
        knots[k + 1] = float(kZoneLightness[k]);
    float value[kKnots][kPiece], light[kPiece], L[kPiece], turned[kPiece], moved[kPiece];
    for (int x = 0; x < width; x += kPiece) {
        const int count = width - x < kPiece ? width - x : kPiece;
        if (!movedRow(zones, x, count, moved)) {
            std::fill_n(stops + x, count, 0.0f);
            continue;
        }
        for (int i = 0; i < kPiece; ++i) {
            value[0][i] = 0.0f;
            value[kKnots - 1][i] = 100.0f;
        }
        for (size_t k = 0; k < kZoneLightness.size(); ++k)
            knotRow(zones[k] + x, knots[k + 1], float(kZoneDown[k]), float(kZoneUp[k]),
                    float(100.0 - kZoneApart * double(kZoneLightness.size() - k)), k > 0 ? value[k] : kZero, count,
                    value[k + 1]);
        lightnessRow(tone + x, count, light, L);
        splineRow(L, value, knots, count, turned);
        stopsRow(turned, light, moved, count, stops + x);
    }
}

} // namespace yolk
