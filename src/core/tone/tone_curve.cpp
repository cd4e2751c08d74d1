#include "tone/tone_curve.h"

#include "base/vectorise.h"
#include "colour/oklab.h"
#include "colour/transfer.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace yolk {
namespace {

constexpr double kGrey = 0.18;
constexpr double kGreyOdds = kGrey / (1.0 - kGrey); // m at v = 0: m / (1 + m) = 0.18
constexpr std::array<double, 5> kZoneLightness{10, 30, 50, 70, 90};
// Full travel of a zone in lightness: almost to its neighbour, and to 1 or 99 at the ends.
constexpr std::array<double, 5> kZoneDown{9, 18, 18, 18, 18}, kZoneUp{18, 18, 18, 18, 9};

double exponentOf(double range)
{
    return 1.0 - 0.75 * range / 100.0;
}
double toeOf(double toe)
{
    return 0.25 * (toe / 100.0) * (toe / 100.0);
}
double withToe(double d, double toe)
{
    return d * d * (1.0 + toe) / (d + toe + 1e-12);
}

/// Key 0.18 * 4^skew of the log average: a scene that is mostly dark stays darker than one that is mostly light.
double automaticExposure(const ToneStart &start)
{
    const double spread = std::max(1.0, start.highEv - start.lowEv);
    const double skew = std::clamp((2.0 * start.averageEv - start.lowEv - start.highEv) / spread, -1.0, 1.0);
    return std::clamp(2.0 * skew - start.averageEv, -12.0, 12.0);
}

/// m of the photographic operator at v stops from middle grey.
double oddsAt(double v, double slope)
{
    return kGreyOdds * std::exp2(slope * v);
}

} // namespace

double photographic(double m, double whiteSquared)
{
    return std::min(1.0, m * (1.0 + m / whiteSquared) / (1.0 + m));
}

double evOfLuminance(double luminance)
{
    constexpr double kDarkest = 1e-12; // some 37 stops below grey: far below any sensor
    return std::log2((luminance > kDarkest ? luminance : kDarkest) / kGrey);
}

double luminanceOfEv(double ev)
{
    return kGrey * std::exp2(ev);
}

ToneSettings automaticTone(const ToneStart &start)
{
    ToneSettings out;
    constexpr double kDisplayStops = 5.5;
    const double spread = std::max(1.0, start.highEv - start.lowEv);
    out.range = std::round(std::clamp((1.0 - kDisplayStops / spread) / 0.75 * 100.0, 0.0, 100.0));
    out.exposure = std::round(automaticExposure(start) * 20.0) / 20.0;
    // The toe that brings the 1st percentile to a display light of 0.003 (L* 2.7): solved for t.
    const double slope = exponentOf(out.range);
    const double white = oddsAt(start.peakEv + out.exposure, slope);
    const double low = photographic(oddsAt(start.lowEv + out.exposure, slope), white * white);
    constexpr double kBlack = 0.003;
    const double room = kBlack - low * low;
    const double toe = low <= kBlack ? 0.0 : room > 0.0 ? low * (low - kBlack) / room : 1.0;
    out.toe = std::round(std::min(50.0, 100.0 * std::sqrt(toe / 0.25)));
    return out;
}

ToneCurve::ToneCurve(const ToneSettings &settings, const ToneStart &start) : settings_(settings)
{
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; })
            assign(settings_, field, settings.*field.member, "tone." + std::string(field.key));
    });
    slope_ = exponentOf(settings.range) * std::exp2(settings.contrast / 100.0);
    const double white = oddsAt(start.peakEv + automaticExposure(start), slope_);
    whiteSquared_ = white * white;
    toe_ = toeOf(settings.toe);

    knots_.back() = values_.back() = 100.0;
    for (size_t k = 0; k < kZones.size(); ++k) {
        const double value = settings.*kZones[k] / 100.0;
        zonesNeutral_ = zonesNeutral_ && value == 0.0;
        knots_[k + 1] = kZoneLightness[k];
        // At least half a step of lightness between neighbours, whatever is asked of both.
        values_[k + 1] =
            std::max(values_[k] + 0.5, kZoneLightness[k] + value * (value < 0.0 ? kZoneDown[k] : kZoneUp[k]));
        values_[k + 1] = std::min(values_[k + 1], 100.0 - 0.5 * double(kZones.size() - k));
    }
    // Fritsch-Carlson tangents by harmonic means [FritschButland1984]; the ends take their secants.
    const auto secant = [&](size_t i) { return (values_[i + 1] - values_[i]) / (knots_[i + 1] - knots_[i]); };
    tangents_.front() = secant(0);
    tangents_.back() = secant(knots_.size() - 2);
    for (size_t i = 1; i + 1 < knots_.size(); ++i)
        tangents_[i] = 2.0 / (1.0 / secant(i - 1) + 1.0 / secant(i));
}

double ToneCurve::base(double ev) const
{
    const double v = ev + settings_.exposure;
    if (settings_.method == ToneMethod::Plain) {
        const double contrasted = v * std::exp2(settings_.contrast / 100.0);
        return std::pow(std::min(1.0, kGrey * std::exp2(contrasted)), 1.0 / settings_.gamma);
    }
    return withToe(photographic(oddsAt(v, slope_), whiteSquared_), toe_);
}

double ToneCurve::remapped(double lightness) const
{
    const double x = std::clamp(lightness, 0.0, 100.0);
    const size_t i =
        std::min<size_t>(size_t(std::ranges::upper_bound(knots_, x) - knots_.begin()), knots_.size() - 1) - 1;
    const double h = knots_[i + 1] - knots_[i], t = (x - knots_[i]) / h;
    const double a = values_[i], b = values_[i + 1], da = tangents_[i] * h, db = tangents_[i + 1] * h;
    return a + t * (da + t * (3 * (b - a) - 2 * da - db + t * (2 * (a - b) + da + db)));
}

double ToneCurve::luminance(double ev) const
{
    const double d = base(ev);
    return zonesNeutral_ ? d : luminanceOf(remapped(lightnessOf(d)));
}

double ToneCurve::lightness(double ev) const
{
    return lightnessOf(luminance(ev));
}

std::array<double, 5> zoneEvs(const ToneStart &start)
{
    const ToneCurve curve(automaticTone(start), start);
    std::array<double, 5> out;
    for (size_t k = 0; k < out.size(); ++k) {
        double low = start.lowEv - 20.0, high = start.peakEv + 20.0;
        for (int i = 0; i < 60; ++i) {
            const double middle = (low + high) / 2;
            (curve.lightness(middle) < kZoneLightness[k] ? low : high) = middle;
        }
        out[k] = high;
    }
    return out;
}

double zoneValueFor(const ToneSettings &settings, const ToneStart &start, int index, double lightness)
{
    const double ev = zoneEvs(start)[size_t(index)];
    ToneSettings trial = settings;
    double low = -100.0, high = 100.0;
    for (int i = 0; i < 40; ++i) {
        trial.*kZones[size_t(index)] = (low + high) / 2;
        (ToneCurve(trial, start).lightness(ev) < lightness ? low : high) = trial.*kZones[size_t(index)];
    }
    return (low + high) / 2;
}

namespace {

// The curve as gain = display / scene luminance, tabulated over the bits of a float: kPerOctave steps an octave,
// linear between them, from 2^kFirstOctave on. Luminance below counts as that, above as the last.
constexpr int kFirstOctave = -24, kOctaves = 48, kStepBits = 8, kPerOctave = 1 << kStepBits;

struct GainTable {
    std::vector<float> display; // display luminance at each step, one more at the end
    float least, most;
};

GainTable gainTable(const ToneCurve &curve)
{
    GainTable out;
    out.display.resize(size_t(kOctaves * kPerOctave + 1));
    for (int i = 0; i <= kOctaves * kPerOctave; ++i) {
        const double luminance = std::ldexp(1.0 + double(i % kPerOctave) / kPerOctave, kFirstOctave + i / kPerOctave);
        out.display[size_t(i)] = float(curve.luminance(evOfLuminance(luminance)));
    }
    out.least = std::ldexp(1.0f, kFirstOctave);
    out.most = std::ldexp(1.0f, kFirstOctave + kOctaves) * 0.999f;
    return out;
}

struct Matrix3f {
    float m[9];
};

YOLK_MULTIVERSION
void toneRow(const float *__restrict inR, const float *__restrict inG, const float *__restrict inB, int width,
             const float *__restrict table, float least, float most, Matrix3f toOutput, float *__restrict outR,
             float *__restrict outG, float *__restrict outB)
{
    constexpr int kShift = 23 - kStepBits;
    constexpr int kBase = (127 + kFirstOctave) << kStepBits;
    const Matrix3f m = toOutput;
    for (int x = 0; x < width; ++x) {
        const float luminance = kLuminance2020[0] * inR[x] + kLuminance2020[1] * inG[x] + kLuminance2020[2] * inB[x];
        float y = luminance > least ? luminance : least; // NaN falls to the least
        y = y < most ? y : most;
        const int bits = std::bit_cast<int>(y);
        const int step = (bits >> kShift) - kBase;
        const float part = float(bits & ((1 << kShift) - 1)) * (1.0f / float(1 << kShift));
        const float gain = (table[step] + part * (table[step + 1] - table[step])) / y;
        const float r = inR[x] * gain, g = inG[x] * gain, b = inB[x] * gain;
        outR[x] = m.m[0] * r + m.m[1] * g + m.m[2] * b;
        outG[x] = m.m[3] * r + m.m[4] * g + m.m[5] * b;
        outB[x] = m.m[6] * r + m.m[7] * g + m.m[8] * b;
    }
}

constexpr float kRounding = 1e-5f;

/// Brings what lies in the cube but for rounding into it (white must stay white), and says whether something lies
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

void mapPixels(float *r, float *g, float *b, int count, const OklabSpace &oklab)
{
    const auto isInside = [](float v) { return v >= -kRounding && v <= 1.0f + kRounding; };
    for (int x = 0; x < count; ++x) {
        Vector3 rgb{r[x], g[x], b[x]};
        if (!isInside(r[x]) || !isInside(g[x]) || !isInside(b[x]))
            rgb = mapIntoGamut(rgb, oklab);
        r[x] = float(std::clamp(rgb[0], 0.0, 1.0));
        g[x] = float(std::clamp(rgb[1], 0.0, 1.0));
        b[x] = float(std::clamp(rgb[2], 0.0, 1.0));
    }
}

} // namespace

Image<float> toneMap(ImageView<const float> scene, const ToneCurve &curve, OutputSpace space, ExecContext &ctx)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(textOf("tone mapping of %d x %d x %d: must have three planes", scene.width(),
                                   scene.height(), scene.planes()));
    Image<float> out(scene.shape());
    const GainTable gains = gainTable(curve);
    const Matrix3 matrix = rgbToRgb(kRec2020, primariesOf(space));
    Matrix3f toOutput;
    std::ranges::copy(matrix.m, toOutput.m);
    const OklabSpace oklab(primariesOf(space));
    forEachBand(ctx, scene.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            float *r = out.row(0, y), *g = out.row(1, y), *b = out.row(2, y);
            toneRow(scene.row(0, y), scene.row(1, y), scene.row(2, y), scene.width(), gains.display.data(), gains.least,
                    gains.most, toOutput, r, g, b);
            constexpr int kChunk = 64; // most pieces lie inside the output space
            for (int x = 0; x < scene.width(); x += kChunk) {
                const int count = std::min(kChunk, scene.width() - x);
                if (clampRounding(r + x, g + x, b + x, count))
                    mapPixels(r + x, g + x, b + x, count, oklab);
            }
        }
    });
    return out;
}

} // namespace yolk
