#include "tone/tone_map.h"

#include "base/quick_math.h"
#include "base/vectorise.h"
#include "colour/oklab_rows.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <span>

namespace yolk {
namespace {

constexpr float kGreyStops = -2.47393119f; // log2 of 0.18

/// Tables over stops, linear between their steps; what lies beyond counts as the end's.
struct Steps {
    float first, perStop;
    int count;
};
constexpr Steps kLight{-24.0f, 128.0f, 44 * 128 + 1};  // EV of scene light
constexpr Steps kDisplay{-16.0f, 64.0f, 16 * 64 + 1};  // log2 of display light, up to white
constexpr double kDarkest = 0x1p-40;                   // what the logarithm of black counts as

YOLK_INLINE float valueAt(const float *table, const Steps &steps, float stops)
{
    float at = (stops - steps.first) * steps.perStop;
    at = at > 0.0f ? at : 0.0f; // NaN falls to the first
    const float last = float(steps.count - 2);
    at = at < last + 1.0f ? at : last + 1.0f;
    int i = int(at);
    i = i < steps.count - 2 ? i : steps.count - 2;
    return table[i] + (at - float(i)) * (table[i + 1] - table[i]);
}

template <class Value> std::vector<float> tabulated(const Steps &steps, Value &&value)
{
    std::vector<float> out(size_t(steps.count));
    for (int i = 0; i < steps.count; ++i)
        out[size_t(i)] = float(value(double(steps.first) + double(i) / double(steps.perStop)));
    return out;
}

double logOf(double light)
{
    return std::log2(std::max(light, kDarkest));
}

struct Matrix3f {
    float m[9];
};

YOLK_MULTIVERSION
void lightRow(const float *__restrict r, const float *__restrict g, const float *__restrict b, int width,
              float *__restrict ev)
{
    constexpr float kLeast = 0x1p-26f, kMost = 0x1p17f; // the reach of kLight
    for (int x = 0; x < width; ++x) {
        float y = kLuminance2020[0] * r[x] + kLuminance2020[1] * g[x] + kLuminance2020[2] * b[x];
        y = y > kLeast ? y : kLeast; // NaN falls to the least
        y = y < kMost ? y : kMost;
        ev[x] = quickLog2(y) - kGreyStops;
    }
}

YOLK_MULTIVERSION
void curveRow(const float *ev, const float *__restrict table, int width, float *display) // may be the same
{
    for (int x = 0; x < width; ++x)
        display[x] = valueAt(table, kLight, ev[x]);
}

/// Layers into base (in EV) and weighted detail, in place.
YOLK_MULTIVERSION
void baseRow(const float *__restrict ev, float *__restrict fine, float *__restrict local, int width, float fineWeight,
             float localWeight)
{
    for (int x = 0; x < width; ++x) {
        const float f = fine[x], l = local[x];
        local[x] = ev[x] - f - l;
        fine[x] = fineWeight * f + localWeight * l;
    }
}

/// Of blended exposures: log2 of display light from stops over scene light, and of its base.
YOLK_MULTIVERSION
void blendRow(const float *__restrict ev, float *__restrict tone, float *__restrict fine, float *__restrict local,
              int width, float fineWeight, float localWeight)
{
    for (int x = 0; x < width; ++x) {
        const float f = fine[x], l = local[x];
        tone[x] += ev[x];
        local[x] = tone[x] - f - l;
        fine[x] = fineWeight * f + localWeight * l;
    }
}

YOLK_MULTIVERSION
void addZones(const float *__restrict display, const float *__restrict zones, int width, float *__restrict detail)
{
    for (int x = 0; x < width; ++x)
        detail[x] += valueAt(zones, kDisplay, display[x]);
}

/// log2 of the tone and of the detail on it to display light over scene light.
YOLK_MULTIVERSION
void gainRow(const float *__restrict ev, const float *__restrict tone, const float *__restrict detail, int width,
             float *__restrict gain)
{
    for (int x = 0; x < width; ++x) {
        float d = detail[x];
        d = d > -30.0f ? d : -30.0f;
        d = d < 30.0f ? d : 30.0f;
        const float t = quickExp2(tone[x]), change = t * (quickExp2(d) - 1.0f);
        const float room = 1.0f - t > 1e-6f ? 1.0f - t : 1e-6f;
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
void colourRow(const float *__restrict inR, const float *__restrict inG, const float *__restrict inB,
               const float *__restrict gain, int width, const Matrix3f &toOutput, float *__restrict outR,
               float *__restrict outG, float *__restrict outB)
{
    const float *m = toOutput.m;
    for (int x = 0; x < width; ++x) {
        const float r = inR[x] * gain[x], g = inG[x] * gain[x], b = inB[x] * gain[x];
        outR[x] = m[0] * r + m[1] * g + m[2] * b;
        outG[x] = m[3] * r + m[4] * g + m[5] * b;
        outB[x] = m[6] * r + m[7] * g + m[8] * b;
    }
}

constexpr float kRounding = 2e-6f; // of the matrices and the gain in single precision

/// Takes colours within rounding of the cube [0, 1]^3 into it (white must stay white), and says whether something lies
/// further out.
YOLK_MULTIVERSION
bool clampRounding(float *__restrict r, float *__restrict g, float *__restrict b, int count)
{
    int outside = 0;
    for (int x = 0; x < count; ++x) {
        const float low = std::min(std::min(r[x], g[x]), b[x]), high = std::max(std::max(r[x], g[x]), b[x]);
        outside |= !(low >= -kRounding) | !(high <= 1.0f + kRounding);
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

} // namespace

void evRow(const float *r, const float *g, const float *b, int width, float *ev)
{
    lightRow(r, g, b, width, ev);
}

bool needsLayers(const ToneSettings &settings)
{
    return settings.method == ToneMethod::Local || settings.method == ToneMethod::Blend || movesZones(settings);
}

bool needsBlend(const ToneSettings &settings)
{
    return settings.method == ToneMethod::Blend;
}

ToneMapper::ToneMapper(const ToneSettings &settings, const ToneStart &start, OutputSpace space, double saturation,
                       ToneGrids grids)
    : grids_(std::move(grids)), toOutput_(rgbToRgb(kRec2020, primariesOf(space))), oklab_(primariesOf(space)),
      localWeight_(float(1.0 + settings.localContrast / 100.0)), fineWeight_(float(1.0 + settings.fineDetail / 100.0)),
      chroma_(float(saturation))
{
    if ((needsLayers(settings) && !grids_.layers) || (needsBlend(settings) && !grids_.blend))
        throw ArgumentError("tone mapping: the layers of the scene are missing");
    const ToneCurve curve(settings, start);
    way_ = settings.method == ToneMethod::Blend   ? Way::Blend
           : settings.method == ToneMethod::Local ? Way::Layers
           : movesZones(settings)                 ? Way::CurveWithZones
                                                  : Way::Curve;
    const bool together = way_ == Way::Curve || way_ == Way::Layers;
    if (way_ != Way::Blend)
        curve_ = tabulated(kLight, [&](double ev) {
            return logOf(together ? curve.luminance(ev) : curve.withoutZones(ev));
        });
    if (!together)
        zones_ = tabulated(kDisplay, [&](double display) { return logOf(curve.zoned(std::exp2(display))) - display; });
}

/// What a band needs besides its pixels.
struct ToneMapper::Row {
    explicit Row(int width, Way way) : ev(size_t(width)), tone(ev.size()), gain(ev.size())
    {
        if (way != Way::Curve)
            for (std::vector<float> *v : {&fine, &local})
                v->resize(ev.size());
    }
    std::vector<float> ev, tone, gain, fine, local;
};

void ToneMapper::mapRow(Row &row, ImageView<const float> scene, int y, const ScenePart &part,
                        ImageView<float> out) const
{
    const int width = scene.width();
    const float *r = scene.row(0, y), *g = scene.row(1, y), *b = scene.row(2, y);
    const double stepX = (part.x1 - part.x0) / width, stepY = (part.y1 - part.y0) / scene.height();
    const double firstX = part.x0 + 0.5 * stepX, atY = part.y0 + (y + 0.5) * stepY;
    float *ev = row.ev.data(), *tone = row.tone.data(), *fine = row.fine.data(), *local = row.local.data();
    lightRow(r, g, b, width, ev);
    if (way_ == Way::Curve) {
        curveRow(ev, curve_.data(), width, tone);
        plainGainRow(ev, tone, width, row.gain.data());
    } else {
        if (way_ == Way::Blend) // its second value is 0 and is overwritten below
            grids_.blend->lookUp(firstX, stepX, atY, row.ev, row.tone, row.local);
        grids_.layers->lookUp(firstX, stepX, atY, row.ev, row.fine, row.local);
        switch (way_) {
        case Way::Curve:
            break;
        case Way::Layers:
            baseRow(ev, fine, local, width, fineWeight_, localWeight_); // `local` is the base, `fine` all detail
            curveRow(local, curve_.data(), width, tone);
            break;
        case Way::CurveWithZones:
            curveRow(ev, curve_.data(), width, tone);
            baseRow(ev, fine, local, width, 0.0f, 0.0f);
            curveRow(local, curve_.data(), width, local);
            addZones(local, zones_.data(), width, fine);
            break;
        case Way::Blend:
            blendRow(ev, tone, fine, local, width, fineWeight_ - 1.0f, localWeight_ - 1.0f);
            addZones(local, zones_.data(), width, fine);
            break;
        }
        gainRow(ev, tone, fine, width, row.gain.data());
    }
    Matrix3f toOutput;
    std::ranges::copy(toOutput_.m, toOutput.m);
    float *outR = out.row(0, y), *outG = out.row(1, y), *outB = out.row(2, y);
    colourRow(r, g, b, row.gain.data(), width, toOutput, outR, outG, outB);
    constexpr int kChunk = 64; // most pieces lie inside the output space
    for (int x = 0; x < width; x += kChunk) {
        const int count = std::min(kChunk, width - x);
        if (chroma_ != 1.0f || clampRounding(outR + x, outG + x, outB + x, count))
            fitColours(outR + x, outG + x, outB + x, count, oklab_, chroma_);
    }
}

Image<float> ToneMapper::operator()(ImageView<const float> scene, const ScenePart &part, ExecContext &ctx) const
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(textOf("tone mapping of %d x %d x %d: must have three planes", scene.width(),
                                   scene.height(), scene.planes()));
    Image<float> out(scene.shape());
    forEachBand(ctx, scene.height(), [&](int y0, int y1) {
        Row row(scene.width(), way_);
        for (int y = y0; y < y1; ++y)
            mapRow(row, scene, y, part, out.view());
    });
    return out;
}

} // namespace yolk
