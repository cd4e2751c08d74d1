#include "render/views/frame_scene.h"

#include "colour/matrix_rows.h"
#include "io/linear_codes.h"
#include "render/stages/align_stage.h"
#include "render/stages/lamp_stage.h"
#include "render/stages/levels.h"
#include "render/stages/light_code.h"
#include "render/views/develop.h"
#include "render/views/picture.h"
#include "render/views/through_map.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

/// The frame's codes on the pixels of the reference frame where it is merged, on its own where it is not.
DecodedPtr codesOf(const RenderPlan &plan, const BracketFrame &frame, int reduction, ExecContext &ctx)
{
    const auto used = plan.bracket.used();
    const auto at = std::ranges::find(used, &frame);
    if (at != used.end())
        return alignedSet(plan, reduction, ctx)->pixels[size_t(at - used.begin())];
    return prepared(plan.sources, *frame.frame, preparationOf(frame, plan.measured, plan.recipe), reduction, ctx);
}

/// For each code of light, the linear code by the file's own curve: the inverse of what frames go through.
CodeTables fileCodes(const Preparation &preparation)
{
    CodeTables out;
    const CodeTables light = codeTables(preparation.response, 1.0, preparation.gains);
    if (light.empty())
        return out;
    for (size_t c = 0; c < 3; ++c) {
        const std::vector<uint16_t> &rising = light.of[c];
        out.of[c].resize(rising.size());
        size_t code = 0;
        for (size_t i = 0; i < rising.size(); ++i) {
            while (code + 1 < rising.size() && rising[code] < i)
                ++code;
            out.of[c][i] = uint16_t(code);
        }
        out.of[c].back() = 65535; // what clips is white, whichever code it first does so at
    }
    return out;
}

/// Part of the codes as linear light, cut at white, at the size of the view; averaged by `code`, where there is one.
Image<float> lightPart(const DecodedPtr &codes, const CodeTables &tables, const CodeValues &colour,
                       const RenderRequest &request, const LightCode *code, ExecContext &ctx)
{
    const double r = request.reduction;
    const RealRect region{request.region.x0 / r, request.region.y0 / r, request.region.x1 / r, request.region.y1 / r};
    const double stepX = (region.x1 - region.x0) / request.width, stepY = (region.y1 - region.y0) / request.height;
    if (std::max(stepX, stepY) <= 1.0)
        code = nullptr;                                                   // nothing is averaged
    const auto span = [](double from, double to, double step, int size) { // with what the filter reaches
        const int margin = int(std::ceil(step)) + 2;
        const int first = std::clamp(int(std::floor(from)) - margin, 0, size - 1);
        return std::pair(first, std::clamp(int(std::ceil(to)) + margin, first + 1, size));
    };
    const auto [x0, x1] = span(region.x0, region.x1, stepX, codes->width());
    const auto [y0, y1] = span(region.y0, region.y1, stepY, codes->height());
    Image<float> light(x1 - x0, y1 - y0, 3);
    forEachBand(ctx, light.height(), [&, left = x0, top = y0](int from, int to) {
        for (int c = 0; c < 3; ++c) {
            const uint16_t *table = tables.empty() ? nullptr : tables.of[size_t(c)].data();
            const float white =
                float(colour.neutral[size_t(c)]); // no channel may pass it, or clipping takes on a colour
            for (int y = from; y < to; ++y) {
                const uint16_t *in = codes->row(c, y + top) + left;
                float *out = light.row(c, y);
                for (int x = 0; x < light.width(); ++x)
                    out[x] = std::min(linearOfCode(table ? table[in[x]] : in[x]), white);
            }
        }
        if (code)
            for (int y = from; y < to; ++y) {
                float *const rows[] = {light.row(0, y), light.row(1, y), light.row(2, y)};
                code->code(rows, 3, light.width(), rows);
            }
    });
    Image<float> out = resample(light.view(), {region.x0 - x0, region.y0 - y0, region.x1 - x0, region.y1 - y0},
                                request.width, request.height, ctx);
    if (code)
        code->decode(out.view(), ctx);
    return out;
}

} // namespace

Image<float> lookThrough(const RenderPlan &plan, size_t index, FrameBrightness brightness, OutputSpace space,
                         const RenderRequest &wanted, ExecContext &ctx)
{
    if (const auto through = throughMap(plan.map, plan.reference(), wanted, plan.recipe.geometry.corners)) {
        const RenderPlan flat(plan.sources, plan.measured, withoutMap(plan.recipe));
        return through->light(plan.map, lookThrough(flat, index, brightness, space, through->flat, ctx).view(), ctx);
    }
    const Sources &sources = plan.sources;
    const auto frame = std::ranges::find_if(plan.bracket.frames, [&](const BracketFrame &f) {
        return index < sources.frames.size() && f.frame->id == sources.frames[index]->id;
    });
    if (frame == plan.bracket.frames.end())
        throw ArgumentError(textOf("frame %zu of %zu is not in the set", index + 1, sources.frames.size()));
    const Frame &reference = plan.reference();
    RenderRequest request = wanted;
    request.region = regionOf(wanted, reference);
    if (request.width < 1 || request.height < 1)
        throw ArgumentError("the part of the frame to look through is empty");
    if (frame->frame->isRadiance())
        return render(plan, space, request, ctx);

    const CodeValues &colour = frame->frame->codeValues;
    const DecodedPtr codes = codesOf(plan, *frame, request.reduction, ctx);
    if (brightness == FrameBrightness::AsTaken) {
        const CodeTables tables = fileCodes(preparationOf(*frame, plan.measured, plan.recipe));
        Image<float> out = lightPart(codes, tables, colour, request, nullptr, ctx);
        applyMatrix(rgbToRgb(kRec2020, primariesOf(space)) * colour.toRec2020, out.view(), ctx);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < out.height(); ++y)
                for (float &v : std::span(out.row(c, y), size_t(out.width())))
                    v = std::clamp(v, 0.0f, 1.0f);
        return out;
    }
    const double gain = plan.bracket.anchorExposure / frame->exposure;
    const LightCode code(luminanceRow(colour.toRec2020), plan.knee / gain);
    const Developer developer(plan, space, ctx);
    const PixelGrid grid = gridOf(request.region, request.width, request.height);
    const RenderRequest wide = widened(request, reference, developer.context(grid.scale()));
    Image<float> scene = lightPart(codes, {}, colour, wide, &code, ctx);
    if (const LampWhitePtr lamp = lampWhiteOf(plan, ctx)) {
        const PixelGrid at = gridOf(wide.region, wide.width, wide.height);
        const double perX = 1.0 / reference.width, perY = 1.0 / reference.height;
        for (int y = 0; y < scene.height(); ++y) {
            float *const rows[] = {scene.row(0, y), scene.row(1, y), scene.row(2, y)};
            lamp->gains.apply(rows, scene.width(), at.x(0) * perX, at.stepX * perX, at.y(y) * perY, rows);
        }
    }
    Matrix3 matrix = plan.white;
    for (double &m : matrix.m)
        m *= gain;
    applyMatrix(matrix, scene.view(), ctx);
    return developer.picture(scene.view(), grid, ctx);
}

Image<float> lookAtFrame(const Sources &sources, size_t index, const Recipe &settings, const Measured &measured,
                         const RenderRequest &request, ExecContext &ctx)
{
    const Recipe recipe = inForce(settings, measured);
    if (index >= sources.frames.size())
        throw ArgumentError(textOf("frame %zu of %zu", index + 1, sources.frames.size()));
    const Frame &frame = *sources.frames[index];
    const PictureMap map = mapOf(recipe, frame);
    if (const auto through = throughMap(map, frame, request, recipe.geometry.corners))
        return through->light(map, lookAtFrame(sources, index, withoutMap(recipe), measured, through->flat, ctx).view(),
                              ctx);
    Preparation preparation;
    if (!frame.isRadiance()) {
        const Bracket bracket = bracketOf(sources, measured, recipe);
        for (const BracketFrame &f : bracket.frames)
            if (f.frame->id == frame.id)
                preparation = preparationOf(f, measured, recipe);
        preparation.response = nullptr;
        preparation.gains = {1.0, 1.0, 1.0};
        preparation.unevenness = nullptr;
        preparation.dust = nullptr;
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
        key, ctx, [&](ExecContext &own) { return cutAtWhite(request.reduction, own); },
        [](const Image<float> &image) { return image.bytes(); });
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
