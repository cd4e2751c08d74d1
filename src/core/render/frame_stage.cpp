#include "render/frame_stage.h"

#include "denoise/frame_denoise.h"

namespace yolk {
namespace {

Image<uint16_t> copyOf(const Image<uint16_t> &image)
{
    Image<uint16_t> out(image.shape());
    for (int c = 0; c < image.planes(); ++c)
        for (int y = 0; y < image.height(); ++y)
            std::copy_n(image.row(c, y), image.width(), out.row(c, y));
    return out;
}

void applyTable(Image<uint16_t> &codes, const std::vector<uint16_t> &table, ExecContext &ctx)
{
    forEachBand(ctx, codes.height(), [&](int y0, int y1) {
        for (int c = 0; c < codes.planes(); ++c)
            for (int y = y0; y < y1; ++y) {
                uint16_t *row = codes.row(c, y);
                for (int x = 0; x < codes.width(); ++x)
                    row[x] = table[row[x]];
            }
    });
}

Image<uint16_t> prepare(const Sources &sources, const Frame &frame, const Preparation &p, int reduction,
                        ExecContext &ctx)
{
    ExecContext decoding = ctx.part(0.0, 0.8), rest = ctx.child({});
    RawOptions raw{p.demosaic, {}};
    if (p.fringes)
        raw.edit = [&](const Mosaic &mosaic) { correctFringes(mosaic, *p.fringes, rest); };
    Image<uint16_t> out =
        reduction == 1 ? decodeFrame(frame, 1, decoding, raw) : copyOf(*decoded(sources, frame, reduction, decoding));
    if (p.response)
        applyTable(out, p.response->table(), rest);
    if (p.fringes && reduction > 1) // channels of reduced raw files are still apart
        correctFringes(out, *p.fringes, rest);
    if (p.denoise > 0.0)
        denoiseFrame(out, p.noise, p.denoise, rest);
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
    hasher.value(response != nullptr).value(fringes != nullptr).value(demosaic).value(denoise);
    if (response)
        for (double bend : response->bend)
            hasher.value(bend);
    if (fringes)
        hasher.value(fringes->red.scale).value(fringes->red.bend).value(fringes->blue.scale).value(fringes->blue.bend);
    if (denoise > 0.0)
        hasher.value(noise.gain).value(noise.readVariance);
}

Preparation preparationOf(const BracketFrame &frame, const Measured &measured, const PrepareSettings &settings)
{
    Preparation out;
    if (measured.response.fitted && isDeveloped(*frame.frame))
        out.response = &measured.response;
    if (frame.frame->isRaw()) {
        out.demosaic = settings.demosaic;
        if (settings.fringes == FringeMode::On && measured.fringes.source != Fringes::Source::None)
            out.fringes = &measured.fringes;
    }
    if (isDarkFrame(frame))
        out.denoise = settings.darkNoise / 100.0;
    out.noise = frame.measured.noise;
    return out;
}

DecodedPtr decoded(const Sources &sources, const Frame &frame, int reduction, ExecContext &ctx)
{
    const auto decode = [&](ExecContext &own) {
        // A raw file costs the same at any reduction: what is smaller than half is made from the half.
        const int first = measuringReduction(frame);
        if (frame.isRaw() && reduction > first)
            return blockMeans(decoded(sources, frame, first, own)->view(), reduction / first);
        return decodeFrame(frame, reduction, own);
    };
    if (reduction == 1) // full ones would fill the cache for nothing: they are read once
        return std::make_shared<const Image<uint16_t>>(decode(ctx));
    Hasher hasher;
    hasher.value(StageKey::Decoded).text(frame.id).value(reduction);
    return sources.cache->get<Image<uint16_t>>(hasher.finish(), ctx, decode, bytesOf);
}

DecodedPtr prepared(const Sources &sources, const Frame &frame, const Preparation &preparation, int reduction,
                    ExecContext &ctx)
{
    if (reduction > 1 && !preparation.response && !preparation.fringes && preparation.denoise == 0.0)
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
