#include "render/stages/frame_stage.h"

#include "denoise/frame_denoise.h"
#include "image/copy.h"
#include "io/linear_codes.h"
#include "mend/speck_shape.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

void applyTables(Image<uint16_t> &codes, const CodeTables &tables, ExecContext &ctx)
{
    forEachBand(ctx, codes.height(), [&](int y0, int y1) {
        for (int c = 0; c < codes.planes(); ++c)
            for (int y = y0; y < y1; ++y) {
                const std::vector<uint16_t> &table = tables.of[size_t(c)];
                uint16_t *row = codes.row(c, y);
                for (int x = 0; x < codes.width(); ++x)
                    row[x] = table[row[x]];
            }
    });
}

/// Evens what is known to be uneven, up to the line that got most light, so that what clips nowhere claims more light
/// than it knows of.
void evenLight(Image<uint16_t> &codes, const Unevenness &uneven, ExecContext &ctx)
{
    const double most = uneven.most();
    const uint16_t clipped = codeOfLinear(kClippedFrom);
    std::vector<float> columns(size_t(codes.width()), 1.0f);
    const auto shareOf = [](int i, int count) { return (i + 0.5) / count; };
    for (int x = 0; uneven.acrossColumns && x < codes.width(); ++x)
        columns[size_t(x)] = float(std::exp2(-uneven.alongLine(shareOf(x, codes.width()))));
    forEachBand(ctx, codes.height(), [&](int y0, int y1) {
        std::vector<float> factors(columns);
        for (int y = y0; y < y1; ++y) {
            const double share = shareOf(y, codes.height());
            const auto line = float(std::exp2(most - (uneven.acrossColumns ? 0.0 : uneven.alongLine(share))));
            for (int x = 0; x < codes.width(); ++x) {
                const double rim = uneven.rim == 0.0 ? 1.0 : std::exp2(-uneven.atRim(shareOf(x, codes.width()), share));
                factors[size_t(x)] = columns[size_t(x)] * line * float(rim);
            }
            for (int c = 0; c < codes.planes(); ++c) {
                uint16_t *row = codes.row(c, y);
                for (int x = 0; x < codes.width(); ++x)
                    row[x] = row[x] >= clipped ? codeOfLinear(1.0)
                                               : codeOfLinear(double(linearOfCode(row[x]) * factors[size_t(x)]));
            }
        }
    });
}

Image<uint16_t> prepare(const Sources &sources, const Frame &frame, const Preparation &p, int reduction,
                        ExecContext &ctx)
{
    ExecContext decoding = ctx.part(0.0, 0.8), rest = ctx.child({});
    RawOptions raw{.demosaic = p.demosaic};
    if (p.fringes || p.defects)
        raw.edit = [&](const Mosaic &mosaic) {
            if (p.defects)
                replaceDefects(mosaic, *p.defects);
            if (p.fringes)
                correctFringes(mosaic, *p.fringes, rest);
        };
    // Clipping comes before anything that mixes pixels.
    const bool rawAtFull = frame.isRaw() && reduction == 1;
    if (rawAtFull)
        raw.whiteShare = p.whiteShare;
    Image<uint16_t> out =
        reduction == 1 ? decodeFrame(frame, 1, decoding, raw) : copyOf(*decoded(sources, frame, reduction, decoding));
    if (const CodeTables tables = codeTables(p.response, rawAtFull ? 1.0 : p.whiteShare, p.gains); !tables.empty())
        applyTables(out, tables, rest);
    if (p.unevenness)
        evenLight(out, *p.unevenness, rest);
    if (const ColourOffsets offsets = colourOffsets(frame, reduction);
        reduction > 1 && (p.fringes || offsets != ColourOffsets())) // channels of reduced raw files are still apart
        correctFringes(out, p.fringes ? *p.fringes : Fringes(), offsets, rest);
    if (p.dust)
        giveBackLight(out, *p.dust, reduction);
    if (p.denoise > 0.0)
        denoiseFrame(out, p.noise, p.denoise, rest);
    if (p.isAlone)
        calmColours(out, p.noise, reduction, rest);
    ctx.report(1.0);
    return out;
}

size_t bytesOf(const Image<uint16_t> &image)
{
    return image.bytes();
}

} // namespace

void Preparation::hash(Hasher &hasher) const
{
    hasher.value(response != nullptr)
        .value(fringes != nullptr)
        .value(demosaic)
        .value(denoise)
        .value(isAlone)
        .value(whiteShare);
    for (double gain : gains)
        hasher.value(gain);
    hasher.value(unevenness != nullptr);
    if (unevenness) {
        hasher.value(unevenness->acrossColumns)
            .value(unevenness->aspect)
            .value(unevenness->rim)
            .value(unevenness->bands.size());
        for (double band : unevenness->bands)
            hasher.value(band);
    }
    hasher.value(defects ? defects->size() : 0);
    if (defects)
        for (const SensorPlace &p : *defects)
            hasher.value(p.x).value(p.y);
    if (response)
        for (const Response::Bend &curve : response->bend)
            for (double bend : curve)
                hasher.value(bend);
    if (fringes)
        hasher.value(fringes->red.scale).value(fringes->red.bend).value(fringes->blue.scale).value(fringes->blue.bend);
    hasher.value(dust != nullptr);
    if (dust)
        for (const DustSpot &spot : *dust)
            if (isDepthKnown(spot))
                hasher.value(spot.x).value(spot.y).value(spot.radius).value(spot.depth);
    if (denoise > 0.0)
        hasher.value(noise.gain).value(noise.readVariance);
}

Preparation preparationOf(const BracketFrame &frame, const PlacedSet &known, const Recipe &recipe)
{
    const PrepareSettings &settings = recipe.prepare;
    Preparation out;
    if (std::any_of(recipe.mend.dust.begin(), recipe.mend.dust.end(), isDepthKnown))
        out.dust = &recipe.mend.dust;
    if (isTaken(known.response, settings.response) && isDeveloped(*frame.frame))
        out.response = &known.response;
    out.whiteShare = frame.measured.whiteShare;
    out.gains = frame.measured.gains;
    const Unevenness &uneven = known.frames[size_t(frame.given - 1)].unevenness;
    if (!uneven.isEven())
        out.unevenness = &uneven;
    if (frame.frame->isRaw()) {
        if (!known.defects.empty() && frame.frame->metadata.camera == known.defectsOf)
            out.defects = &known.defects;
        out.demosaic = settings.demosaic;
        if (settings.fringes == FringeMode::On && known.fringes.source != Fringes::Source::None)
            out.fringes = &known.fringes;
    }
    // Where a dark frame stands alone, all of its noise is seen.
    if (isDarkFrame(frame) && settings.darkNoise > 0.0) {
        out.isAlone = frame.decides;
        out.denoise = out.isAlone ? 1.0 : settings.darkNoise / 100.0;
    }
    out.noise = frame.measured.noise;
    return out;
}

namespace {

/// A reduced frame, and of raw ones what the sensor showed on the way.
struct ReducedFrame {
    Image<uint16_t> pixels;
    SensorLook sensor;
    size_t bytes() const
    {
        size_t out = pixels.bytes() + sensor.standingOut.size() * sizeof(SensorPlace);
        for (const auto &counts : sensor.counts.of)
            out += counts.size() * sizeof(counts[0]);
        return out;
    }
};

std::shared_ptr<const ReducedFrame> reducedFrame(const Sources &sources, const Frame &frame, int reduction,
                                                 ExecContext &ctx)
{
    Hasher hasher;
    hasher.value(StageKey::Decoded).text(frame.id).value(reduction);
    return sources.cache->get<ReducedFrame>(
        hasher.finish(), ctx,
        [&](ExecContext &own) {
            ReducedFrame out;
            // A raw file costs the same at any reduction: what is smaller than half is made from the half.
            const int first = measuringReduction(frame);
            if (frame.isRaw() && reduction > first) {
                out.pixels = blockMeans(reducedFrame(sources, frame, first, own)->pixels.view(), reduction / first);
                return out;
            }
            out.pixels =
                decodeFrame(frame, reduction, own,
                            {.count = [&](const SensorCounts &counts) { out.sensor.counts = counts; },
                             .look = [&](const Mosaic &mosaic) { out.sensor.standingOut = standingOut(mosaic); }});
            return out;
        },
        [](const ReducedFrame &f) { return f.bytes(); });
}

} // namespace

DecodedPtr decoded(const Sources &sources, const Frame &frame, int reduction, ExecContext &ctx)
{
    if (reduction == 1) // full ones would fill the cache for nothing: they are read once
        return std::make_shared<const Image<uint16_t>>(decodeFrame(frame, 1, ctx));
    const auto reduced = reducedFrame(sources, frame, reduction, ctx);
    return {reduced, &reduced->pixels};
}

SensorLookPtr sensorLook(const Sources &sources, const Frame &frame, ExecContext &ctx)
{
    const auto reduced = reducedFrame(sources, frame, measuringReduction(frame), ctx);
    return {reduced, &reduced->sensor};
}

DecodedPtr prepared(const Sources &sources, const Frame &frame, const Preparation &preparation, int reduction,
                    ExecContext &ctx)
{
    if (reduction > 1 && !preparation.response && !preparation.unevenness && !preparation.fringes &&
        colourOffsets(frame, reduction) == ColourOffsets() && !preparation.dust && preparation.denoise == 0.0 &&
        preparation.whiteShare == 1.0 && preparation.gains == Vector3{1.0, 1.0, 1.0})
        return decoded(sources, frame, reduction, ctx);
    const auto make = [&](ExecContext &own) { return prepare(sources, frame, preparation, reduction, own); };
    if (reduction == 1 && !sources.keepFrames)
        return std::make_shared<const Image<uint16_t>>(make(ctx));
    Hasher hasher;
    hasher.value(StageKey::Prepared).text(frame.id).value(reduction);
    preparation.hash(hasher);
    return sources.cache->get<Image<uint16_t>>(hasher.finish(), ctx, make, bytesOf);
}

} // namespace yolk
