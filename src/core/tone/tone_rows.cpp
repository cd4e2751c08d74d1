#include "tone/tone_rows.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/matrix_rows.h"
#include "colour/oklab_rows.h"

#include <algorithm>
#include <cmath>

namespace yolk {

YOLK_MULTIVERSION
void evRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, int width,
           float *__restrict ev)
{
    constexpr float kLeast = 0x1p-26f, kMost = 0x1p17f; // the reach of the tables of light
    for (int x = 0; x < width; ++x) {
        float y = kLuminance2020[0] * r[x] + kLuminance2020[1] * g[x] + kLuminance2020[2] * b[x];
        y = y > kLeast ? y : kLeast; // NaN falls to the least
        y = y < kMost ? y : kMost;
        ev[x] = quickLog2(y) - kGreyStops;
    }
}

YOLK_MULTIVERSION
void partRow(const float *__restrict ev, const float *__restrict fine, const float *__restrict local, int width,
             float fineWeight, float localWeight, float *__restrict base, float *__restrict detail)
{
    for (int x = 0; x < width; ++x) {
        base[x] = ev[x] - fine[x] - local[x];
        detail[x] = fineWeight * fine[x] + localWeight * local[x];
    }
}

YOLK_MULTIVERSION
void blendRow(const float *__restrict ev, const float *__restrict blend, const float *__restrict fine,
              const float *__restrict local, int width, float fineWeight, float localWeight, float *__restrict tone,
              float *__restrict base, float *__restrict detail)
{
    for (int x = 0; x < width; ++x) {
        tone[x] = ev[x] + blend[x];
        base[x] = tone[x] - fine[x] - local[x];
        detail[x] = fineWeight * fine[x] + localWeight * local[x];
    }
}

YOLK_MULTIVERSION
void rollOffRow(int width, float *__restrict tone)
{
    constexpr float kFrom = 0.8f, kRoom = kHeld - kFrom, kLog2E = 1.44269504f;
    for (int x = 0; x < width; ++x) {
        const float light = quickExp2(tone[x] < 4.0f ? tone[x] : 4.0f), over = light > kFrom ? light - kFrom : 0.0f;
        const float rolled = quickLog2(kFrom + kRoom * (1.0f - quickExp2(-over * (kLog2E / kRoom))));
        tone[x] = light > kFrom ? rolled : tone[x];
    }
}

YOLK_MULTIVERSION
void addRow(const float *__restrict more, int width, float *__restrict sum)
{
    for (int x = 0; x < width; ++x)
        sum[x] += more[x];
}

YOLK_MULTIVERSION
void takeRow(const float *__restrict less, int width, float *__restrict from)
{
    for (int x = 0; x < width; ++x)
        from[x] -= less[x];
}

YOLK_MULTIVERSION
void addWeightedRow(const float *__restrict weight, const float *__restrict more, int width, float *__restrict sum)
{
    for (int x = 0; x < width; ++x)
        sum[x] += weight[x] * more[x];
}

YOLK_MULTIVERSION
void gainRow(const float *__restrict ev, const float *__restrict tone, const float *__restrict detail, int width,
             float *__restrict gain)
{
    for (int x = 0; x < width; ++x) {
        float d = detail[x];
        d = d > -30.0f ? d : -30.0f;
        d = d < 30.0f ? d : 30.0f;
        const float t = quickExp2(tone[x]), change = t * (quickExp2(d) - 1.0f);
        const float room = kHeld - t > 1e-6f ? kHeld - t : 1e-6f;
        const float reach = change > 0.0f ? change / room : 0.0f;
        gain[x] = (t + change / std::sqrt(1.0f + reach * reach)) * quickExp2(-(ev[x] + kGreyStops));
    }
}

YOLK_MULTIVERSION
void plainGainRow(const float *__restrict ev, const float *__restrict tone, int width, float *__restrict gain)
{
    for (int x = 0; x < width; ++x)
        gain[x] = quickExp2(tone[x] - (ev[x] + kGreyStops));
}

YOLK_MULTIVERSION
void gainColoursRow(const float *__restrict inR, const float *__restrict inG, const float *__restrict inB,
                    const float *__restrict gain, int width, float *__restrict outR, float *__restrict outG,
                    float *__restrict outB)
{
    for (int x = 0; x < width; ++x) {
        outR[x] = inR[x] * gain[x];
        outG[x] = inG[x] * gain[x];
        outB[x] = inB[x] * gain[x];
    }
}

YOLK_MULTIVERSION
void dimColoursRow(float *__restrict r, float *__restrict g, float *__restrict b, int width, float weightR,
                   float weightG, float weightB)
{
    for (int x = 0; x < width; ++x) {
        const float y = weightR * r[x] + weightG * g[x] + weightB * b[x];
        float high = r[x] > g[x] ? r[x] : g[x];
        high = high > b[x] ? high : b[x];
        const float room = kHeld - y > 1e-6f ? kHeld - y : 1e-6f, over = high - y > 0.0f ? high - y : 0.0f;
        const float reach = over / room, square = reach * reach;
        const float fitted = y + over / std::sqrt(std::sqrt(1.0f + square * square));
        const float factor = high > 1e-6f && y > 0.0f ? std::sqrt(fitted / high) : 1.0f;
        r[x] *= factor;
        g[x] *= factor;
        b[x] *= factor;
    }
}

YOLK_MULTIVERSION
bool clampRounding(float *__restrict r, float *__restrict g, float *__restrict b, int count, float most)
{
    int outside = 0;
    for (int x = 0; x < count; ++x) {
        const float low = std::min(std::min(r[x], g[x]), b[x]), high = std::max(std::max(r[x], g[x]), b[x]);
        outside |= !(low >= -kFitRounding) | !(high <= most + kFitRounding);
    }
    if (outside)
        return true;
    for (int x = 0; x < count; ++x) {
        r[x] = std::min(std::max(r[x], 0.0f), 1.0f);
        g[x] = std::min(std::max(g[x], 0.0f), 1.0f);
        b[x] = std::min(std::max(b[x], 0.0f), 1.0f);
    }
    return false;
}

YOLK_MULTIVERSION
void contrastRow(const float *__restrict exposure, const float *__restrict contrast, float usualExposure,
                 float usualContrast, int width, float *__restrict tone)
{
    for (int x = 0; x < width; ++x) {
        const float grey = kGreyStops, steeper = quickExp2((contrast[x] - usualContrast) * 0.01f);
        tone[x] = grey + (tone[x] - grey + exposure[x] - usualExposure) * steeper;
    }
}

} // namespace yolk
