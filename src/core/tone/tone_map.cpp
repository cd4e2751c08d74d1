#include "tone/tone_map.h"

#include "colour/transfer.h"
#include "tone/plateaus.h"
#include "tone/tone_rows.h"
#include "tone/unfold.h"
#include "tone/zone_rows.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace yolk {
namespace {

constexpr StepTable::Steps kLight{-24.0f, 128.0f, 44 * 128 + 1};     // EV of scene light
constexpr StepTable::Steps kCoarseLight{-24.0f, 32.0f, 44 * 32 + 1}; // the same, where a change of the curve is enough
constexpr StepTable::Steps kDisplay{-16.0f, 64.0f, 16 * 64 + 1};     // log2 of display light, up to white
constexpr StepTable::Steps kUnfolded{-4.0f, 1024.0f, 16 * 1024 + 1}; // the same, and above it
constexpr double kContrastStep = 25.0;                               // between tables
constexpr double kDarkest = 0x1p-40;                                 // what the logarithm of black counts as

double logOf(double light)
{
    return std::log2(std::max(light, kDarkest));
}

bool variesDetail(const Varied<ToneSettings> &varied)
{
    return varied[&ToneSettings::localContrast].varies() || varied[&ToneSettings::localLights].varies() ||
           varied[&ToneSettings::localDarks].varies() || varied[&ToneSettings::fineDetail].varies();
}

} // namespace

Image<float> evOf(ImageView<const float> scene, ExecContext &ctx)
{
    Image<float> out(scene.width(), scene.height(), 1);
    forEachBand(ctx, out.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y)
            evRow(scene.row(0, y), scene.row(1, y), scene.row(2, y), scene.width(), out.row(0, y));
    });
    return out;
}

bool needsLayers(const Varied<ToneSettings> &varied)
{
    const ToneSettings &settings = varied.settings();
    const auto varies = [&](double ToneSettings::*member) { return varied[member].varies(); };
    return std::ranges::any_of(kZones, varies) || variesDetail(varied) || settings.method == ToneMethod::Local ||
           settings.method == ToneMethod::Blend || movesZones(settings) || movesDetail(settings);
}

bool needsBlend(const ToneSettings &settings)
{
    return settings.method == ToneMethod::Blend;
}

ToneMapper::ToneMapper(const Varied<ToneSettings> &varied, const ToneStart &start, const OutputLight &output,
                       double saturation, ToneGrids grids)
    : grids_(std::move(grids)), toOutput_(rgbToRgb(kRec2020, primariesOf(output.space))),
      oklab_(primariesOf(output.space)), localWeight_(0.0f), fineWeight_(0.0f), chroma_(float(saturation)),
      soft_(!isPlain(varied.settings())), lights_(output.lights)
{
    const ToneSettings &settings = varied.settings();
    const Matrix3 fromOutput = inverse(toOutput_);
    for (size_t c = 0; c < 3; ++c) {
        double sum = 0.0;
        for (size_t k = 0; k < 3; ++k)
            sum += double(kLuminance2020[k]) * fromOutput(int(k), int(c));
        luminance_[c] = float(sum);
    }
    if ((needsLayers(varied) && !grids_.layers) || (needsBlend(settings) && !grids_.blend))
        throw ArgumentError("tone mapping: the layers of the scene are missing");
    const PlainEnd plainEnd = lights_ ? PlainEnd::Endless : PlainEnd::Chosen;
    const ToneCurve curve(settings, start, plainEnd);
    if (lights_)
        unfold_ = StepTable(kUnfolded, [unfold = Unfold(settings, *lights_)](double log) {
            return std::log2(unfold(std::exp2(log))) - log;
        });
    way_ = settings.method == ToneMethod::Blend   ? Way::Blend
           : settings.method == ToneMethod::Local ? Way::Layers
           : needsLayers(varied)                  ? Way::CurveWithDetail
                                                  : Way::Curve;
    kept_ = way_ == Way::Layers ? 1.0 : 0.0; // the base is without detail; the other ways hold it already
    localWeight_ = float(kept_ + settings.localContrast / 100.0);
    fineWeight_ = float(kept_ + settings.fineDetail / 100.0);
    exposure_ = varied[&ToneSettings::exposure];
    contrast_ = varied[&ToneSettings::contrast];
    localContrast_ = varied[&ToneSettings::localContrast];
    localLights_ = varied[&ToneSettings::localLights];
    localDarks_ = varied[&ToneSettings::localDarks];
    fineDetail_ = varied[&ToneSettings::fineDetail];
    for (size_t k = 0; k < kZones.size(); ++k)
        zoneValues_[k] = varied[kZones[k]];
    variesCurve_ = exposure_.varies() || contrast_.varies();
    variesZones_ = std::ranges::any_of(zoneValues_, &Parameter::varies);
    variesDetail_ = variesDetail(varied);
    apart_ = way_ != Way::Curve && !variesDetail_ && (settings.localLights != 0.0 || settings.localDarks != 0.0);
    isPlain_ = isPlain(settings);
    zonesApart_ = way_ == Way::CurveWithDetail || way_ == Way::Blend || variesZones_;
    const auto whole = [&](double ev) { return logOf(zonesApart_ ? curve.withoutZones(ev) : curve.luminance(ev)); };
    const Plateaus plateaus(way_ == Way::Curve ? std::vector<double>() : quantilesOf(start));
    if (way_ == Way::Curve || way_ == Way::CurveWithDetail)
        curve_ = StepTable(kLight, whole);
    if (way_ == Way::Layers) {
        const std::vector<double> bases = plateaus.baseCurve(kLight, whole);
        size_t next = 0; // steps come in their order
        curve_ = StepTable(kLight, [&](double base) { return bases[next++] + plateaus.detailOf(base); });
    }
    if (way_ != Way::Curve)
        plateau_ = StepTable(kLight, [&](double base) { return plateaus.detailOf(base); });
    const auto inLights = [&](double base) {
        constexpr double kDark = 30.0, kBright = 70.0; // L*
        const double lightness = lightnessOf(curve.withoutZones(base + plateaus.detailOf(base)));
        const double t = std::clamp((lightness - kDark) / (kBright - kDark), 0.0, 1.0);
        return t * t * (3.0 - 2.0 * t);
    };
    if (variesDetail_)
        inLights_ = StepTable(kLight, inLights);
    if (apart_)
        local_ = StepTable(kLight, [&](double base) {
            const double s = inLights(base);
            const double more = s * settings.localLights + (1.0 - s) * settings.localDarks;
            return std::max(kept_ - 1.0, double(localWeight_) + more / 100.0);
        });
    if (zonesApart_ && way_ != Way::Curve)
        zones_ = StepTable(kDisplay, [&](double display) { return logOf(curve.zoned(std::exp2(display))) - display; });
    if (!variesCurve_ || way_ == Way::Blend)
        return;
    ToneSettings at = settings;
    const auto addTable = [&](double contrast) {
        at.contrast = contrast;
        const ToneCurve other(at, start, plainEnd);
        curves_.emplace_back(
            isPlain_ ? kLight : kCoarseLight, // plain light bends sharply where it clips
            [&](double ev) { return logOf(zonesApart_ ? other.withoutZones(ev) : other.luminance(ev)); });
    };
    if (contrast_.varies() && !isPlain_)
        for (double contrast = -100.0; contrast <= 100.0; contrast += kContrastStep)
            addTable(contrast);
    addTable(settings.contrast);
}

/// Rows of what lightsOf() and blendOf() find.
struct ToneMapper::Lights {
    const float *ev, *fine, *local, *blend;
};

/// What a band needs besides its pixels.
struct ToneMapper::Row {
    explicit Row(int width)
        : tone(size_t(width)), gain(tone.size()), base(tone.size()), detail(tone.size()), weight(tone.size()),
          other(tone.size())
    {
    }
    std::vector<float> tone, gain, base, detail, weight, other;
    std::vector<float> exposure, zones[5]; // of what varies
};

namespace {

/// Where the pixels of a row lie in the scene.
struct Places {
    Places(const ScenePart &part, Shape shape, int row)
        : step((part.x1 - part.x0) / shape.width), x(part.x0 + 0.5 * step),
          y(part.y0 + (row + 0.5) * (part.y1 - part.y0) / shape.height)
    {
    }
    double step, x, y;
};

} // namespace

/// Adds what exposure and contrast of each pixel make of the tone of its light.
void ToneMapper::changeCurve(Row &row, const float *light, int width, int y, const PixelGrid &grid, float *tone) const
{
    if (!variesCurve_)
        return;
    const float *exposure = exposure_.row(grid, y, width, row.exposure), usual = float(exposure_.value);
    const float *contrast = contrast_.varies() ? contrast_.row(grid, y, width, row.other) : nullptr;
    const float usualContrast = float(contrast_.value);
    constexpr int kPiece = 64; // much of a picture lies in no area
    float before[kPiece], after[kPiece], shifted[kPiece], places[kPiece];
    for (int x = 0; x < width; x += kPiece) {
        const size_t count = size_t(std::min(kPiece, width - x));
        bool isExposed = false, isContrasted = false;
        for (size_t i = 0; i < count; ++i) {
            shifted[i] = light[size_t(x) + i] + (exposure[size_t(x) + i] - usual); // itself where nothing changes
            isExposed |= exposure[size_t(x) + i] != usual;
            isContrasted |= contrast && contrast[size_t(x) + i] != usualContrast;
        }
        if (!isExposed && !isContrasted)
            continue;
        const std::span<const float> own(light + x, count);
        if (isContrasted && isPlain_)
            for (size_t i = 0; i < count; ++i)
                if (const float c = contrast[size_t(x) + i]; c != usualContrast)
                    shifted[i] = (shifted[i] + usual) * std::exp2((c - usualContrast) * 0.01f) - usual;
        curves_.back().lookUp(own, 0.0f, before);
        curves_.back().lookUp({shifted, count}, 0.0f, after);
        for (size_t i = 0; i < count; ++i)
            after[i] -= before[i];
        if (isContrasted && !isPlain_) { // between tables of other contrasts
            const std::span<const StepTable> tables(curves_.data(), curves_.size() - 1);
            const auto placeOf = [](float c) { return (c + 100.0f) / float(kContrastStep); };
            std::fill_n(places, count, placeOf(usualContrast));
            StepTable::lookUpBetween(tables, places, own, before);
            for (size_t i = 0; i < count; ++i)
                places[i] = placeOf(contrast[size_t(x) + i]);
            StepTable::lookUpBetween(tables, places, {shifted, count}, shifted);
            for (size_t i = 0; i < count; ++i)
                after[i] = contrast[size_t(x) + i] != usualContrast ? shifted[i] - before[i] : after[i];
        }
        for (size_t i = 0; i < count; ++i)
            tone[size_t(x) + i] += after[i];
    }
}

void ToneMapper::zoneStops(Row &row, const float *tone, int width, int y, const PixelGrid &grid, float *stops) const
{
    if (!variesZones_)
        return zones_.lookUp({tone, size_t(width)}, 0.0f, stops);
    const float *zones[5];
    for (size_t k = 0; k < kZones.size(); ++k)
        zones[k] = zoneValues_[k].row(grid, y, width, row.zones[k]);
    zoneStopsRow(tone, zones, width, stops);
}

/// Adds detail by the weights of each pixel.
void ToneMapper::weighDetail(Row &row, const Lights &lights, const float *base, int width, int y, const PixelGrid &grid,
                             float *detail) const
{
    inLights_.lookUp({base, size_t(width)}, 0.0f, row.weight.data());
    const float *local = localContrast_.row(grid, y, width, row.exposure),
                *bright = localLights_.row(grid, y, width, row.other),
                *dark = localDarks_.row(grid, y, width, row.zones[0]),
                *fine = fineDetail_.row(grid, y, width, row.zones[1]);
    const float kept = float(kept_);
    for (int x = 0; x < width; ++x) {
        const float s = row.weight[size_t(x)], more = s * bright[x] + (1.0f - s) * dark[x];
        const float weight = std::max(kept - 1.0f, kept + (local[x] + more) * 0.01f);
        detail[x] += weight * lights.local[x] + (kept + fine[x] * 0.01f) * lights.fine[x];
    }
}

void ToneMapper::lightRows(ImageView<const float> scene, int y, const ScenePart &part, std::vector<float> &cells,
                           float *ev, float *fine, float *local) const
{
    const size_t width = size_t(scene.width());
    evRow(scene.row(0, y), scene.row(1, y), scene.row(2, y), scene.width(), ev);
    if (!readsGrids())
        return;
    const Places at(part, scene.shape(), y);
    grids_.layers->rowAt(at.y, cells);
    grids_.layers->lookUp(cells, at.x, at.step, {ev, width}, {fine, width}, {local, width});
}

void ToneMapper::blendRows(const float *ev, Shape scene, int y, const ScenePart &part, std::vector<float> &cells,
                           float *blend, float *unused) const
{
    const size_t width = size_t(scene.width);
    const Places at(part, scene, y);
    grids_.blend->rowAt(at.y, cells);
    grids_.blend->lookUp(cells, at.x, at.step, {ev, width}, {blend, width}, {unused, width});
}

void ToneMapper::mapRow(Row &row, ImageView<const float> scene, int y, const Lights &lights, ImageView<float> out,
                        Until until, const PixelGrid &grid) const
{
    const int width = scene.width();
    const float *r = scene.row(0, y), *g = scene.row(1, y), *b = scene.row(2, y);
    float *tone = row.tone.data(), *base = row.base.data(), *detail = row.detail.data();
    const std::span<const float> ev(lights.ev, size_t(width)), baseEv(row.base);
    const auto addZones = [&] { // by the display light of the base
        zoneStops(row, base, width, y, grid, base);
        addRow(base, width, detail);
    };
    const float localWeight = apart_ || variesDetail_ ? 0.0f : localWeight_,
                fineWeight = variesDetail_ ? 0.0f : fineWeight_;
    const auto weighLocal = [&] { // by the base, before it becomes something else
        if (apart_)
            local_.lookUp(baseEv, 0.0f, row.weight.data());
    };
    const auto addLocal = [&] {
        if (apart_)
            addWeightedRow(row.weight.data(), lights.local, width, detail);
        else if (variesDetail_)
            weighDetail(row, lights, base, width, y, grid, detail);
    };
    switch (way_) {
    case Way::Curve:
        curve_.lookUp(ev, 0.0f, tone);
        changeCurve(row, lights.ev, width, y, grid, tone);
        break;
    case Way::Layers:
        partRow(lights.ev, lights.fine, lights.local, width, fineWeight, localWeight, base, detail);
        weighLocal();
        addLocal();
        curve_.lookUp(baseEv, 0.0f, tone);
        plateau_.lookUp(baseEv, 0.0f, row.gain.data());
        takeRow(row.gain.data(), width, detail);
        addRow(row.gain.data(), width, base); // the light that looks like this base
        changeCurve(row, base, width, y, grid, tone);
        if (zonesApart_) {
            zoneStops(row, tone, width, y, grid, base);
            addRow(base, width, tone);
        }
        break;
    case Way::CurveWithDetail: // detail before the curve, which squeezes it with all else: order is kept
        partRow(lights.ev, lights.fine, lights.local, width, fineWeight, localWeight, base, detail);
        weighLocal();
        addLocal();
        std::copy_n(lights.ev, width, tone);
        addRow(detail, width, tone);
        std::copy_n(tone, width, detail);
        curve_.lookUp({tone, size_t(width)}, 0.0f, tone);
        changeCurve(row, detail, width, y, grid, tone);
        std::fill_n(detail, width, 0.0f);
        plateau_.lookUp(baseEv, 0.0f, row.gain.data());
        addRow(row.gain.data(), width, base);
        std::copy_n(base, width, row.gain.data());
        curve_.lookUp(baseEv, 0.0f, base);
        changeCurve(row, row.gain.data(), width, y, grid, base);
        addZones();
        break;
    case Way::Blend:
        partRow(lights.ev, lights.fine, lights.local, width, 0.0f, 0.0f, base, detail);
        weighLocal();
        if (variesDetail_) {
            row.zones[2].assign(size_t(width), 0.0f);
            weighDetail(row, lights, base, width, y, grid, row.zones[2].data());
        }
        plateau_.lookUp(baseEv, 0.0f, row.gain.data());
        blendRow(lights.ev, lights.blend, lights.fine, lights.local, width, fineWeight, localWeight, tone, base,
                 detail);
        if (variesDetail_)
            addRow(row.zones[2].data(), width, detail);
        else
            addLocal();
        addRow(row.gain.data(), width, base);
        if (variesCurve_) {
            const float *exposure = exposure_.row(grid, y, width, row.exposure),
                        *contrast = contrast_.row(grid, y, width, row.other);
            for (float *of : {tone, base})
                contrastRow(exposure, contrast, float(exposure_.value), float(contrast_.value), width, of);
        }
        addZones();
        rollOffRow(width, tone);
        break;
    }
    if (way_ == Way::Curve)
        plainGainRow(lights.ev, tone, width, row.gain.data());
    else
        gainRow(lights.ev, tone, detail, width, row.gain.data());
    float *const to[3] = {out.row(0, y), out.row(1, y), out.row(2, y)};
    gainColoursRow(r, g, b, row.gain.data(), width, to[0], to[1], to[2]);
    if (until == Until::End)
        endRow(to, width, to);
}

namespace {

void checkScene(ImageView<const float> scene)
{
    if (scene.shape().empty() || scene.planes() != 3)
        throw ArgumentError(textOf("tone mapping of %d x %d x %d: must have three planes", scene.width(),
                                   scene.height(), scene.planes()));
}

} // namespace

Image<float> ToneMapper::lightsOf(ImageView<const float> scene, const ScenePart &part, ExecContext &ctx) const
{
    checkScene(scene);
    Image<float> out(scene.shape(), readsGrids() ? Fill::Anything : Fill::Zeros);
    forEachBand(ctx, scene.height(), [&](int y0, int y1) {
        std::vector<float> cells;
        for (int y = y0; y < y1; ++y)
            lightRows(scene, y, part, cells, out.row(0, y), out.row(1, y), out.row(2, y));
    });
    return out;
}

Image<float> ToneMapper::blendOf(ImageView<const float> lights, const ScenePart &part, ExecContext &ctx) const
{
    if (way_ != Way::Blend)
        return {};
    Image<float> out({lights.width(), lights.height(), 1}, Fill::Anything);
    forEachBand(ctx, lights.height(), [&](int y0, int y1) {
        std::vector<float> cells, unused(size_t(lights.width()));
        for (int y = y0; y < y1; ++y)
            blendRows(lights.row(0, y), lights.shape(), y, part, cells, out.row(0, y), unused.data());
    });
    return out;
}

Image<float> ToneMapper::operator()(ImageView<const float> scene, const ScenePart &part, ExecContext &ctx) const
{
    checkScene(scene);
    Image<float> out(scene.shape(), Fill::Anything);
    forEachBand(ctx, scene.height(), [&](int y0, int y1) { mapRows(scene, y0, y1, part, out.view()); });
    return out;
}

void ToneMapper::mapRows(ImageView<const float> scene, int y0, int y1, const ScenePart &part, ImageView<float> out,
                         Until until, const PixelGrid &grid) const
{
    Row row(scene.width());
    std::vector<float> cells;
    Image<float> own({scene.width(), 4, 1}, readsGrids() ? Fill::Anything : Fill::Zeros);
    float *const ev = own.row(0, 0), *const fine = own.row(0, 1), *const local = own.row(0, 2),
                 *const blend = own.row(0, 3);
    for (int y = y0; y < y1; ++y) {
        lightRows(scene, y, part, cells, ev, fine, local);
        if (way_ == Way::Blend)
            blendRows(ev, scene.shape(), y, part, cells, blend, row.tone.data());
        mapRow(row, scene, y, {ev, fine, local, blend}, out, until, grid);
    }
}

void ToneMapper::mapRowsWith(ImageView<const float> scene, ImageView<const float> lights, ImageView<const float> blend,
                             ImageView<float> out, Until until, const PixelGrid &grid) const
{
    const Shape size = scene.shape();
    if (lights.shape() != size)
        throw ArgumentError(textOf("tone mapping of %d x %d pixels: the lights are of %d x %d x %d", size.width,
                                   size.height, lights.width(), lights.height(), lights.planes()));
    if (way_ == Way::Blend && blend.shape() != Shape{size.width, size.height, 1})
        throw ArgumentError(textOf("tone mapping of %d x %d pixels: the blend is of %d x %d x %d", size.width,
                                   size.height, blend.width(), blend.height(), blend.planes()));
    Row row(size.width);
    for (int y = 0; y < size.height; ++y)
        mapRow(row, scene, y,
               {lights.row(0, y), lights.row(1, y), lights.row(2, y), way_ == Way::Blend ? blend.row(0, y) : nullptr},
               out, until, grid);
}

Image<float> ToneMapper::withLights(ImageView<const float> scene, ImageView<const float> lights,
                                    ImageView<const float> blend, ExecContext &ctx) const
{
    checkScene(scene);
    if (lights.shape() != scene.shape() || (way_ == Way::Blend && blend.shape().height != scene.height()))
        mapRowsWith(scene, lights, blend, {}); // says what is wrong
    Image<float> out(scene.shape(), Fill::Anything);
    forEachBand(ctx, scene.height(), [&](int y0, int y1) {
        const Rect rows{0, y0, scene.width(), y1};
        mapRowsWith(scene.crop(rows), lights.crop(rows), way_ == Way::Blend ? blend.crop(rows) : blend,
                    out.view().crop(rows));
    });
    return out;
}

} // namespace yolk
