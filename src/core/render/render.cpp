#include "render/align_stage.h"
#include "render/light_code.h"
#include "render/movement_stage.h"
#include "render/render_p.h"
#include "render/tone_stage.h"

#include "tone/tone_curve.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace yolk {
namespace {

constexpr double kPreviewPixels = 1.3e6;

/// What the merge reads of the recipe, and who is merged.
Hash128 mergeKey(const Bracket &bracket, const Measured &measured, const Recipe &recipe, int reduction)
{
    Hasher hasher;
    hasher.value(StageKey::Merge).value(kProcessVersion).value(reduction).value(bracket.anchorExposure);
    hasher.text(bracket.frames[bracket.reference].frame->id); // its white, matrix and place count for all
    hasher.value(recipe.align.mode).value(recipe.align.model).value(recipe.align.local);
    hashMovement(recipe, hasher);
    for (const BracketFrame *f : bracket.used()) {
        const NoiseModel &noise = f->measured.noise;
        hasher.text(f->frame->id).value(f->exposure).value(f->influence).value(noise.gain).value(noise.readVariance);
        preparationOf(*f, measured, recipe.prepare).hash(hasher);
        hashAlignment(measured, *f, hasher);
    }
    hashAlignment(measured, bracket.frames[bracket.reference], hasher);
    return hasher.finish();
}

MergedSet emptySet(const Frame &reference, int reduction)
{
    MergedSet out;
    out.colour = reference.codeValues;
    out.reduction = reduction;
    out.fullWidth = reference.width;
    out.fullHeight = reference.height;
    return out;
}

/// A picture that is merged already: nothing clips, all of it is its own.
MergedSet readMerged(const Frame &frame, int reduction, ExecContext &ctx)
{
    MergedSet out = emptySet(frame, reduction);
    out.pixels.radiance = decodeRadiance(frame, reduction, ctx);
    const Shape shape = out.pixels.radiance.shape();
    out.pixels.variance = Image<uint16_t>(shape); // of which nothing is known
    out.pixels.shares = Image<uint8_t>(shape.width, shape.height, 1);
    out.pixels.clipped = Image<uint8_t>(shape.width, shape.height, 1);
    for (int y = 0; y < shape.height; ++y)
        std::fill_n(out.pixels.shares.row(0, y), shape.width, uint8_t(255));
    out.frameIds = {frame.id};
    return out;
}

MergedSet merge(const Sources &sources, const Bracket &bracket, const Measured &measured, const Recipe &recipe,
                int reduction, ExecContext &ctx)
{
    const auto start = std::chrono::steady_clock::now();
    const auto used = bracket.used();
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    if (reference.isRadiance())
        return readMerged(reference, reduction, ctx);
    ExecContext decoding = ctx.part(0.0, 0.8); // measured: decoding takes most of the time
    const auto aligned = alignedSet(sources, bracket, measured, recipe, reduction, decoding);
    std::vector<Exposure> exposures;
    for (size_t i = 0; i < used.size(); ++i) {
        const auto &trust = aligned->trust[i];
        exposures.push_back({aligned->pixels[i]->view(), used[i]->exposure / bracket.anchorExposure,
                             used[i]->measured.noise, used[i]->influence,
                             trust ? trust->view() : ImageView<const uint8_t>{}});
    }
    ExecContext comparing = ctx.part(0.8, 0.9), merging = ctx.part(0.9, 1.0);
    MergedSet out = emptySet(reference, reduction);
    out.movement = movementOf(sources, bracket, measured, *aligned, recipe, reduction, comparing);
    for (size_t i = 0; i < exposures.size(); ++i)
        if (!out.movement.places.empty()) {
            exposures[i].movement = out.movement.grids[i].view();
            exposures[i].movementCell = out.movement.cell;
        }
    out.pixels = mergeRadiance(exposures, reference.codeValues.neutral, merging);
    constexpr double kSamples = 60000.0; // pixels that are looked at: medians need no more
    const int step = std::max(1, int(std::sqrt(double(out.pixels.radiance.shape().pixels()) / kSamples)));
    out.agreement = agreementOf(exposures, out.pixels, step);
    for (const BracketFrame *f : used)
        out.frameIds.push_back(f->frame->id);
    out.alignment = aligned->alignment;
    out.believed = aligned->believed;
    long long clipped = 0;
    for (int y = 0; y < out.pixels.clipped.height(); ++y) {
        const uint8_t *row = out.pixels.clipped.row(0, y);
        clipped += std::count_if(row, row + out.pixels.clipped.width(), [](uint8_t v) { return v > 0; });
    }
    out.clippedShare = double(clipped) / double(out.pixels.clipped.shape().pixels());
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return out;
}

size_t bytesOf(const Image<float> &image)
{
    return image.bytes();
}

/// The merge as it is read for views: R, G and B, then clippedLightOf() where it is asked for, all coded for averaging
/// where there is a code.
RowSource rowsOf(const MergedSet &set, bool withClipped, const LightCode *code)
{
    Shape shape = set.pixels.radiance.shape();
    shape.planes = withClipped ? 4 : 3;
    const auto read = [&set, shape, code](int y, int x0, int x1, ImageView<float> scratch, const float **rows) {
        const float *in[4];
        float *out[4];
        for (int p = 0; p < shape.planes; ++p) {
            out[p] = scratch.row(p, 0) + x0;
            in[p] = p < 3 ? set.pixels.radiance.row(p, y) + x0 : out[p];
        }
        if (shape.planes == 4)
            for (int x = x0; x < x1; ++x)
                scratch.row(3, 0)[x] = set.pixels.clipped.row(0, y)[x] > 1 ? clippedLightOf(set, x, y) : 0.0f;
        if (code)
            code->code(in, shape.planes, x1 - x0, out);
        for (int p = 0; p < shape.planes; ++p)
            rows[p] = code || p == 3 ? scratch.row(p, 0) : set.pixels.radiance.row(p, y);
    };
    return {shape, read};
}

/// A picture made smaller by 4^level, so that far views need not read all of it every time; finer steps would cost a
/// third of the picture's memory. Still coded.
PicturePtr levelOf(const Sources &sources, const Hash128 &key, const RowSource &whole, int level, ExecContext &ctx)
{
    Hasher hasher;
    hasher.value(StageKey::Level).value(key.high).value(key.low).value(level);
    return sources.cache->get<Image<float>>(
        hasher.finish(), ctx,
        [&](ExecContext &own) {
            const PicturePtr finer = level > 1 ? levelOf(sources, key, whole, level - 1, own) : nullptr;
            const Shape shape = finer ? finer->shape() : whole.shape;
            const int w = (shape.width + 3) / 4, h = (shape.height + 3) / 4;
            const RealRect all{0, 0, 4.0 * w, 4.0 * h};
            return finer ? resample(finer->view(), all, w, h, ctx) : resample(whole, all, w, h, ctx);
        },
        bytesOf);
}

/// Part of a picture, in its pixels, at a size: from the level that lies nearest above it.
Image<float> partOf(const Sources &sources, const Hash128 &key, const RowSource &whole, const RealRect &region,
                    int width, int height, ExecContext &ctx)
{
    const double factor = std::min((region.x1 - region.x0) / width, (region.y1 - region.y0) / height);
    const int level = factor >= 4.0 ? int(std::log2(factor) / 2.0) : 0;
    if (level == 0)
        return resample(whole, region, width, height, ctx);
    const double shrink = std::exp2(-2 * level);
    return resample(levelOf(sources, key, whole, level, ctx)->view(),
                    {region.x0 * shrink, region.y0 * shrink, region.x1 * shrink, region.y1 * shrink}, width, height,
                    ctx);
}

/// Part of a merge, and clippedLightOf() as a fourth plane where it is asked for. `key` is the merge's, `knee` as for
/// LightCode.
Image<float> lightOf(const Sources &sources, const Hash128 &key, const MergedSet &set, bool withClipped, double knee,
                     const RealRect &region, int width, int height, ExecContext &ctx)
{
    if (region.x1 - region.x0 <= width && region.y1 - region.y0 <= height) // nothing is averaged
        return resample(rowsOf(set, withClipped, nullptr), region, width, height, ctx);
    const LightCode code(luminanceRow(set.colour.toRec2020), knee);
    Hasher hasher;
    hasher.value(key.high).value(key.low).value(withClipped).value(knee);
    Image<float> out = partOf(sources, hasher.finish(), rowsOf(set, withClipped, &code), region, width, height, ctx);
    code.decode(out.view(), ctx);
    return out;
}

/// Pixels of a row through a matrix; `to` may be `from`.
void turnRow(const Matrix3 &matrix, const float *const from[3], int width, float *const to[3])
{
    float m[9];
    std::ranges::copy(matrix.m, m);
    const float *inR = from[0], *inG = from[1], *inB = from[2];
    float *outR = to[0], *outG = to[1], *outB = to[2];
#pragma GCC ivdep
    for (int x = 0; x < width; ++x) { // a pixel depends on itself alone
        const float red = inR[x], green = inG[x], blue = inB[x];
        outR[x] = m[0] * red + m[1] * green + m[2] * blue;
        outG[x] = m[3] * red + m[4] * green + m[5] * blue;
        outB[x] = m[6] * red + m[7] * green + m[8] * blue;
    }
}

/// What is clipped everywhere stays white: the first three planes, shifted by the fourth.
Image<float> clippedKeptWhite(const Vector3 &shift, ImageView<const float> scene)
{
    Image<float> out(scene.width(), scene.height(), 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < scene.height(); ++y)
            for (int x = 0; x < scene.width(); ++x)
                out.row(c, y)[x] = scene.row(c, y)[x] + float(shift[size_t(c)]) * scene.row(3, y)[x];
    return out;
}

} // namespace

void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx)
{
    forEachBand(ctx, rgb.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            float *const rows[3] = {rgb.row(0, y), rgb.row(1, y), rgb.row(2, y)};
            turnRow(matrix, rows, rgb.width(), rows);
        }
    });
}

Vector3 luminanceRow(const Matrix3 &toRec2020)
{
    Vector3 out{};
    for (size_t i = 0; i < 9; ++i)
        out[i % 3] += double(kLuminance2020[i / 3]) * toRec2020.m[i];
    return out;
}

double kneeOf(const Measured &measured)
{
    constexpr double kShoulder = 0.8; // bends the curve further: by trial on four sets
    const double slope = std::clamp(kShoulder * slopeOf(measured.tone), 0.1, 0.85);
    return luminanceOfEv(-measured.tone.exposure) * slope / (1.0 - slope); // where log(1 + L / knee) has that slope
}

int previewReduction(const Sources &sources)
{
    double pixels = 1.0;
    for (const FramePtr &f : sources.frames)
        pixels = std::max(pixels, double(f->width) * f->height);
    int r = 1;
    while (r < 64 && pixels / (double(r) * r) > 1.2 * kPreviewPixels)
        r *= 2;
    return r;
}

Bracket bracketOf(const Sources &sources, const Measured &measured, const Recipe &recipe)
{
    std::vector<MeasuredFrame> frames = measured.frames;
    if (recipe.prepare.response != ResponseChoice::Automatic)
        for (MeasuredFrame &f : frames) {
            const MeasuredFrame::Light &light =
                isTaken(measured.response, recipe.prepare.response) ? f.byCurve : f.byProfile;
            f.exposure = light.exposure;
            f.gains = light.gains;
            f.noise = light.noise;
        }
    return arrangeBracket(sources.frames, frames, recipe.frames, measured.anchorExposure,
                          recipe.align.mode == AlignMode::On ? Placing::Aligned : Placing::AsShot);
}

size_t MergedSet::bytes() const
{
    return pixels.radiance.bytes() + pixels.variance.bytes() + pixels.shares.bytes() + pixels.clipped.bytes() +
           movement.bytes();
}

MergedPtr mergedOf(const Sources &sources, const Measured &measured, const Recipe &recipe, int reduction,
                   ExecContext &ctx)
{
    const Bracket bracket = bracketOf(sources, measured, recipe);
    return sources.cache->get<MergedSet>(
        mergeKey(bracket, measured, recipe, reduction), ctx,
        [&](ExecContext &own) { return merge(sources, bracket, measured, recipe, reduction, own); },
        [](const MergedSet &m) { return m.bytes(); });
}

Matrix3 whiteMatrix(const CodeValues &colour, const WhiteSettings &white, const Measured &measured)
{
    switch (white.mode) {
    case WhiteMode::Automatic:
        return balancedMatrix(colour, neutralOf(colour, measured.automaticWhite));
    case WhiteMode::Own:
        return balancedMatrix(colour, neutralOf(colour, {white.temperature, white.tint}));
    case WhiteMode::AsShot:
        break;
    }
    return colour.toRec2020;
}

float clippedLightOf(const MergedSet &set, int x, int y)
{
    float level = 0.0f; // a mix of the frame's value and white of this level has the same level
    for (int c = 0; c < 3; ++c)
        level = std::max(level, set.pixels.radiance.row(c, y)[x] / float(set.colour.neutral[size_t(c)]));
    return level * float(set.pixels.clipped.row(0, y)[x] - 1) / 254.0f;
}

Vector3 clippedWhiteShift(const MergedSet &set, const Matrix3 &balanced)
{
    const Vector3 asShot = set.colour.toRec2020 * set.colour.neutral, now = balanced * set.colour.neutral;
    return {asShot[0] - now[0], asShot[1] - now[1], asShot[2] - now[2]};
}

namespace {

/// A region in pixels of the decode, and the size that it is to have.
struct Placed {
    RealRect region;
    int width, height;
    bool averages() const { return region.x1 - region.x0 > width || region.y1 - region.y0 > height; }
};
Placed placed(const RenderRequest &request, const RealRect &region)
{
    const double r = request.reduction;
    const RealRect in{region.x0 / r, region.y0 / r, region.x1 / r, region.y1 / r};
    const auto sizeOf = [](int asked, double pixels) {
        return asked > 0 ? asked : std::max(1, int(std::lround(pixels)));
    };
    return {in, sizeOf(request.width, in.x1 - in.x0), sizeOf(request.height, in.y1 - in.y0)};
}

/// Checked, and never empty.
RealRect regionOf(const RenderRequest &request, const Frame &reference)
{
    const RealRect region = request.region == RealRect{}
                                ? RealRect{0, 0, double(reference.width), double(reference.height)}
                                : request.region;
    if (!(region.x1 > region.x0) || !(region.y1 > region.y0))
        throw ArgumentError("the region to render is empty");
    return region;
}

} // namespace

void hashScene(const Sources &sources, const Measured &measured, const Recipe &recipe, const RenderRequest &request,
               Hasher &hasher)
{
    const Bracket bracket = bracketOf(sources, measured, recipe);
    const Hash128 merged = mergeKey(bracket, measured, recipe, request.reduction);
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    const RealRect region = regionOf(request, reference);
    hasher.value(merged.high).value(merged.low).value(request.width).value(request.height);
    hasher.value(region.x0).value(region.y0).value(region.x1).value(region.y1).value(kneeOf(measured));
    for (double m : whiteMatrix(reference.codeValues, recipe.white, measured).m)
        hasher.value(m);
}

PicturePtr sceneOf(const Sources &sources, const Measured &measured, const Recipe &recipe, const RenderRequest &request,
                   ExecContext &ctx)
{
    const Bracket bracket = bracketOf(sources, measured, recipe);
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    const RealRect region = regionOf(request, reference);
    const Matrix3 matrix = whiteMatrix(reference.codeValues, recipe.white, measured);
    Hasher hasher;
    hasher.value(StageKey::Scene);
    hashScene(sources, measured, recipe, request, hasher);
    const Hash128 merged = mergeKey(bracket, measured, recipe, request.reduction);
    return (sources.views ? sources.views : sources.cache)
        ->get<Image<float>>(
            hasher.finish(), ctx,
            [&](ExecContext &own) {
                ExecContext merging = own.part(0.0, 0.9), reducing = own.part(0.9, 1.0);
                const MergedPtr set = mergedOf(sources, measured, recipe, request.reduction, merging);
                const bool keepWhite = set->clippedShare > 0.0 && matrix != set->colour.toRec2020;
                const Placed part = placed(request, region);
                Image<float> scene = lightOf(sources, merged, *set, keepWhite, kneeOf(measured), part.region,
                                             part.width, part.height, reducing);
                applyMatrix(matrix, scene.view(), reducing);
                if (keepWhite)
                    return clippedKeptWhite(clippedWhiteShift(*set, matrix), scene.view());
                return scene;
            },
            bytesOf);
}

namespace {

/// The merge as the tone stage leaves it, row by row: no buffer holds its scene. A row is where it can be stopped:
/// bands of a small result are many of them.
RowSource tonedRows(const MergedSet &set, const Matrix3 &white, const ToneMapper &mapper, const ExecContext &ctx)
{
    const Shape shape = set.pixels.radiance.shape();
    const double width = double(set.reduction) / set.fullWidth, height = double(set.reduction) / set.fullHeight;
    const bool keepWhite = set.clippedShare > 0.0 && white != set.colour.toRec2020;
    const Vector3 shift = keepWhite ? clippedWhiteShift(set, white) : Vector3{};
    const auto read = [=, &set, &mapper, &ctx](int y, int x0, int x1, ImageView<float> scratch, const float **rows) {
        ctx.throwIfStopped();
        Image<float> scene({x1 - x0, 1, 3}, Fill::Anything);
        const float *from[3];
        float *to[3];
        for (int c = 0; c < 3; ++c) {
            from[c] = set.pixels.radiance.row(c, y) + x0;
            to[c] = scene.row(c, 0);
            rows[c] = scratch.row(c, 0);
        }
        turnRow(white, from, x1 - x0, to);
        if (keepWhite) {
            const uint8_t *clipped = set.pixels.clipped.row(0, y);
            for (int x = x0; x < x1; ++x)
                if (clipped[x] > 1)
                    for (int c = 0; c < 3; ++c)
                        to[c][x - x0] += float(shift[size_t(c)]) * clippedLightOf(set, x, y);
        }
        mapper.mapRows(scene.view(), 0, 1, {x0 * width, y * height, x1 * width, (y + 1) * height},
                       scratch.crop({x0, 0, x1, 1}));
    };
    return {shape, read};
}

} // namespace

Image<float> render(const Sources &sources, const Recipe &recipe, const Measured &measured,
                    const RenderRequest &request, ExecContext &ctx)
{
    static_cast<void>(ToneCurve(recipe.tone, measured.tone)); // a bad setting is said before any work
    const Bracket bracket = bracketOf(sources, measured, recipe);
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    const Placed part = placed(request, regionOf(request, reference));
    ExecContext first = ctx.part(0.0, 0.8), toning = ctx.part(0.8, 1.0);
    const bool isView = double(part.width) * part.height <= kViewPixels;
    if (!request.exact && (isView || part.averages())) {
        const PicturePtr scene = sceneOf(sources, measured, recipe, request, first);
        return mapTones(sources, measured, recipe, request, scene->view(), recipe.output.space, toning);
    }
    const MergedPtr set = mergedOf(sources, measured, recipe, request.reduction, first);
    ExecContext finding = toning.part(0.0, 0.1), mapping = toning.part(0.1, 1.0);
    const ToneMapper mapper = toneMapperOf(sources, measured, recipe, recipe.output.space, finding);
    const Matrix3 white = whiteMatrix(reference.codeValues, recipe.white, measured);
    return resample(tonedRows(*set, white, mapper, mapping), part.region, part.width, part.height, mapping);
}

Image<float> lookAtFrame(const Sources &sources, size_t index, const Recipe &recipe, const Measured &measured,
                         const RenderRequest &request, ExecContext &ctx)
{
    if (index >= sources.frames.size())
        throw ArgumentError(textOf("frame %zu of %zu", index + 1, sources.frames.size()));
    const Frame &frame = *sources.frames[index];
    Preparation preparation;
    if (!frame.isRadiance()) {
        const Bracket bracket = bracketOf(sources, measured, recipe);
        for (const BracketFrame &f : bracket.frames)
            if (f.frame->id == frame.id)
                preparation = preparationOf(f, measured, recipe.prepare);
        preparation.response = nullptr;
        preparation.gains = {1.0, 1.0, 1.0};
        preparation.unevenness = nullptr;
    }
    const auto cutAtWhite = [&](int reduction, ExecContext &own) {
        Image<float> out;
        if (frame.isRadiance()) {
            out = decodeRadiance(frame, reduction, own);
        } else {
            const DecodedPtr codes = prepared(sources, frame, preparation, reduction, own);
            out = Image<float>(codes->shape());
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < out.height(); ++y)
                    std::transform(codes->row(c, y), codes->row(c, y) + out.width(), out.row(c, y), linearOfCode);
        }
        for (int c = 0; c < 3; ++c) // no channel may pass white, or clipped places take on a colour
            for (int y = 0; y < out.height(); ++y)
                for (int x = 0; x < out.width(); ++x)
                    out.row(c, y)[x] = std::min(out.row(c, y)[x], float(frame.codeValues.neutral[size_t(c)]));
        applyMatrix(rgbToRgb(kRec2020, kRec709) * frame.codeValues.toRec2020, out.view(), own);
        return out;
    };
    Hasher hasher;
    hasher.value(StageKey::LookAt).text(frame.id).value(request.reduction);
    preparation.hash(hasher);
    const Hash128 key = hasher.finish();
    const PicturePtr whole = sources.cache->get<Image<float>>(
        key, ctx, [&](ExecContext &own) { return cutAtWhite(request.reduction, own); }, bytesOf);
    RealRect region = request.region;
    if (region == RealRect{})
        region = {0, 0, double(frame.width), double(frame.height)};
    if (!(region.x1 > region.x0) || !(region.y1 > region.y0) || request.width < 1 || request.height < 1)
        throw ArgumentError("the part of the frame to look at is empty");
    const double r = request.reduction;
    return partOf(sources, key, rowsOf(whole->view()), {region.x0 / r, region.y0 / r, region.x1 / r, region.y1 / r},
                  request.width, request.height, ctx);
}

} // namespace yolk
