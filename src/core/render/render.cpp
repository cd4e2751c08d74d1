#include "render/render.h"

#include "tone/tone_curve.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>

namespace yolk {
namespace {

enum class Stage : int { Decode, Merge, Level, Scene };

constexpr double kPreviewPixels = 1.3e6;

/// What the merge reads of the choice, and who is merged.
Hash128 mergeKey(const Bracket &bracket, int reduction)
{
    Hasher hasher;
    hasher.value(Stage::Merge).value(kProcessVersion).value(reduction).value(bracket.anchorExposure);
    hasher.text(bracket.frames[bracket.reference].frame->id); // its white and matrix count for all
    for (const BracketFrame *f : bracket.used())
        hasher.text(f->frame->id).value(f->measured.exposure).value(f->influence).value(f->frame->noise.gain);
    return hasher.finish();
}

/// Reduced decodes are kept: measuring and the first picture read the same ones. Full ones would fill the cache for
/// nothing: they are read once.
DecodedPtr decoded(const Sources &sources, const Frame &frame, int reduction, ExecContext &ctx)
{
    const auto decode = [&] {
        // A raw file costs the same at any reduction: what is smaller than the preview is made from the preview's.
        if (const int preview = previewReduction(sources); frame.isRaw() && reduction > preview && preview > 1)
            return blockMeans(decoded(sources, frame, preview, ctx)->view(), reduction / preview);
        return decodeFrame(frame, reduction, ctx);
    };
    if (reduction == 1)
        return std::make_shared<const Image<uint16_t>>(decode());
    Hasher hasher;
    hasher.value(Stage::Decode).text(frame.id).value(reduction);
    return sources.cache->get<Image<uint16_t>>(hasher.finish(), decode,
                                               [](const Image<uint16_t> &image) { return image.bytes(); });
}

MergedSet merge(const Sources &sources, const Bracket &bracket, int reduction, ExecContext &ctx)
{
    const auto start = std::chrono::steady_clock::now();
    const auto used = bracket.used();
    std::vector<DecodedPtr> pixels(used.size());
    ExecContext decoding = ctx.part(0.0, 0.8); // measured: decoding takes four fifths of the time
    forEachPart(decoding, int(used.size()), [&](int i, ExecContext &own) {
        pixels[size_t(i)] = decoded(sources, *used[size_t(i)]->frame, reduction, own);
    });
    std::vector<Exposure> exposures;
    for (size_t i = 0; i < used.size(); ++i)
        exposures.push_back({pixels[i]->view(), used[i]->measured.exposure / bracket.anchorExposure,
                             used[i]->frame->noise, used[i]->influence});
    ExecContext merging = ctx.part(0.8, 1.0);
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    MergedSet out{mergeRadiance(exposures, reference.codeValues.neutral, merging),
                  reference.codeValues.toRec2020,
                  reduction,
                  reference.width,
                  reference.height,
                  {},
                  0.0,
                  0.0};
    for (const BracketFrame *f : used)
        out.frameIds.push_back(f->frame->id);
    long long clipped = 0;
    for (int y = 0; y < out.pixels.clipped.height(); ++y) {
        const uint8_t *row = out.pixels.clipped.row(0, y);
        clipped += std::accumulate(row, row + out.pixels.clipped.width(), 0);
    }
    out.clippedShare = double(clipped) / double(out.pixels.clipped.shape().pixels());
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return out;
}

void applyMatrix(const Matrix3 &matrix, ImageView<float> rgb, ExecContext &ctx)
{
    float m[9];
    std::ranges::copy(matrix.m, m);
    forEachBand(ctx, rgb.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            float *r = rgb.row(0, y), *g = rgb.row(1, y), *b = rgb.row(2, y);
            for (int x = 0; x < rgb.width(); ++x) {
                const float red = r[x], green = g[x], blue = b[x];
                r[x] = m[0] * red + m[1] * green + m[2] * blue;
                g[x] = m[3] * red + m[4] * green + m[5] * blue;
                b[x] = m[6] * red + m[7] * green + m[8] * blue;
            }
        }
    });
}

size_t bytesOf(const Image<float> &image)
{
    return image.bytes();
}

/// The merged picture made smaller by 2^level, so that far views need not read all of it every time.
PicturePtr levelOf(const Sources &sources, const Hash128 &merged, const MergedPtr &set, int level, ExecContext &ctx)
{
    if (level == 0)
        return {set, &set->pixels.radiance};
    Hasher hasher;
    hasher.value(Stage::Level).value(merged.high).value(merged.low).value(level);
    return sources.cache->get<Image<float>>(
        hasher.finish(),
        [&] {
            const PicturePtr finer = levelOf(sources, merged, set, level - 1, ctx);
            const int w = finer->width(), h = finer->height();
            return resample(finer->view(), {0, 0, double(w + w % 2), double(h + h % 2)}, (w + 1) / 2, (h + 1) / 2, ctx);
        },
        bytesOf);
}

double percentile(const std::vector<float> &sorted, double share)
{
    return double(sorted[size_t(std::lround(share * double(sorted.size() - 1)))]);
}

std::vector<float> sortedEvs(const Image<float> &scene)
{
    std::vector<float> evs;
    evs.reserve(scene.shape().pixels());
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x)
            evs.push_back(
                float(evOfLuminance(kLuminance2020[0] * scene.row(0, y)[x] + kLuminance2020[1] * scene.row(1, y)[x] +
                                    kLuminance2020[2] * scene.row(2, y)[x])));
    std::ranges::sort(evs);
    return evs;
}

/// A request for the whole picture with some 60 000 pixels: enough for percentiles.
RenderRequest measuringRequest(const Sources &sources, const Bracket &bracket)
{
    const Frame &frame = *bracket.frames[bracket.reference].frame;
    const double scale = std::min(1.0, std::sqrt(6e4 / (double(frame.width) * frame.height)));
    return {previewReduction(sources),
            {},
            std::max(1, int(std::lround(frame.width * scale))),
            std::max(1, int(std::lround(frame.height * scale)))};
}

} // namespace

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

Bracket bracketOf(const Sources &sources, const Measured &measured, const FrameChoice &choice)
{
    return arrangeBracket(sources.frames, measured.frames, choice, measured.anchorExposure);
}

Measured analyse(const Sources &sources, const FrameChoice &choice, ExecContext &ctx)
{
    Measured out;
    ExecContext measuring = ctx.part(0.0, 0.4), merging = ctx.part(0.4, 1.0);
    out.frames = measureFrames(
        sources.frames,
        [&](const Frame &frame, int reduction, ExecContext &own) { return decoded(sources, frame, reduction, own); },
        measuring);
    const Bracket bracket = arrangeBracket(sources.frames, out.frames, choice);
    out.anchorExposure = bracket.anchorExposure;
    const PicturePtr scene = sceneOf(sources, out, choice, measuringRequest(sources, bracket), merging);
    const std::vector<float> evs = sortedEvs(*scene);
    out.tone.lowEv = percentile(evs, 0.01);
    out.tone.highEv = percentile(evs, 0.99);
    out.tone.peakEv = percentile(evs, 0.9995);
    double sum = 0.0;
    for (float ev : evs)
        sum += std::clamp(double(ev), out.tone.lowEv, out.tone.highEv);
    out.tone.averageEv = sum / double(evs.size());
    return out;
}

MergedPtr mergedOf(const Sources &sources, const Measured &measured, const FrameChoice &choice, int reduction,
                   ExecContext &ctx)
{
    const Bracket bracket = bracketOf(sources, measured, choice);
    return sources.cache->get<MergedSet>(
        mergeKey(bracket, reduction), [&] { return merge(sources, bracket, reduction, ctx); },
        [](const MergedSet &m) {
            return m.pixels.radiance.bytes() + m.pixels.shares.bytes() + m.pixels.clipped.bytes();
        });
}

PicturePtr sceneOf(const Sources &sources, const Measured &measured, const FrameChoice &choice,
                   const RenderRequest &request, ExecContext &ctx)
{
    const Bracket bracket = bracketOf(sources, measured, choice);
    const Hash128 merged = mergeKey(bracket, request.reduction);
    const Frame &reference = *bracket.frames[bracket.reference].frame;
    RealRect region = request.region;
    if (region == RealRect{})
        region = {0, 0, double(reference.width), double(reference.height)};
    if (!(region.x1 > region.x0) || !(region.y1 > region.y0))
        throw ArgumentError("the region to render is empty");
    Hasher hasher;
    hasher.value(Stage::Scene).value(merged.high).value(merged.low).value(request.width).value(request.height);
    hasher.value(region.x0).value(region.y0).value(region.x1).value(region.y1);
    return sources.cache->get<Image<float>>(
        hasher.finish(),
        [&] {
            ExecContext merging = ctx.part(0.0, 0.9), reducing = ctx.part(0.9, 1.0);
            const MergedPtr set = mergedOf(sources, measured, choice, request.reduction, merging);
            const double r = request.reduction;
            RealRect part{region.x0 / r, region.y0 / r, region.x1 / r, region.y1 / r};
            const int width = request.width > 0 ? request.width : std::max(1, int(std::lround(part.x1 - part.x0)));
            const int height = request.height > 0 ? request.height : std::max(1, int(std::lround(part.y1 - part.y0)));
            const double factor = std::min((part.x1 - part.x0) / width, (part.y1 - part.y0) / height);
            const int level = factor >= 2.0 ? int(std::log2(factor)) : 0;
            const PicturePtr source = levelOf(sources, merged, set, level, reducing);
            const double shrink = std::exp2(-level);
            part = {part.x0 * shrink, part.y0 * shrink, part.x1 * shrink, part.y1 * shrink};
            Image<float> scene = resample(source->view(), part, width, height, reducing);
            applyMatrix(set->toRec2020, scene.view(), reducing);
            return scene;
        },
        bytesOf);
}

Image<float> render(const Sources &sources, const Recipe &recipe, const Measured &measured,
                    const RenderRequest &request, ExecContext &ctx)
{
    const ToneCurve curve(recipe.tone, measured.tone); // first: a bad setting is said before any work
    ExecContext scening = ctx.part(0.0, 0.9), toning = ctx.part(0.9, 1.0);
    const PicturePtr scene = sceneOf(sources, measured, recipe.frames, request, scening);
    return toneMap(scene->view(), curve, recipe.output.space, toning);
}

SceneHistogram sceneHistogram(const Sources &sources, const Measured &measured, const FrameChoice &choice,
                              ExecContext &ctx)
{
    const Bracket bracket = bracketOf(sources, measured, choice);
    const PicturePtr scene = sceneOf(sources, measured, choice, measuringRequest(sources, bracket), ctx);
    SceneHistogram out;
    const std::vector<float> evs = sortedEvs(*scene);
    for (float ev : evs) {
        const int bin = int((double(ev) - SceneHistogram::kFirstEv) / SceneHistogram::kBinEv);
        out.shares[size_t(std::clamp(bin, 0, SceneHistogram::kBins - 1))] += 1.0f / float(evs.size());
    }
    return out;
}

} // namespace yolk
