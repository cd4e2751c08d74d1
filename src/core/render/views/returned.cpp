#include "render/views/returned.h"

#include "base/errors.h"
#include "base/text.h"
#include "colour/matrix_rows.h"
#include "frames/frame.h"
#include "io/linear_codes.h"
#include "recipe/sections.h"
#include "render/stages/align_stage.h"

#include <algorithm>
#include <cstdio>

namespace yolk {
namespace {

/// Of all that made the picture; not of how it is written.
std::string hashOfSettings(const Recipe &recipe)
{
    Recipe made = recipe;
    made.returned = {};
    return hashUpTo(Stage::Geometry, made).hex();
}

RealRect areaOf(const ReturnedPicture &returned)
{
    RealRect out;
    if (std::sscanf(returned.area.c_str(), "%lf %lf %lf %lf", &out.x0, &out.y0, &out.x1, &out.y1) != 4 ||
        !(out.x1 > out.x0) || !(out.y1 > out.y0))
        throw ArgumentError("returned.area = " + returned.area + ": must be four numbers, as 0 0 600 400");
    return out;
}

/// Linear Rec. 2020 of the whole file.
Image<float> readPicture(const ReturnedPicture &returned, ExecContext &ctx)
{
    const FramePtr frame = loadFrame(returned.file);
    if (frame->id != returned.id)
        throw InputError(returned.file, "has changed since it came back; renew it in the Export step, or remove it");
    Image<float> out;
    if (frame->isRadiance()) {
        out = decodeRadiance(*frame, 1, ctx);
    } else {
        const Image<uint16_t> codes = decodeFrame(*frame, 1, ctx);
        out = Image<float>(codes.shape(), Fill::Anything);
        forEachBand(ctx, out.height(), [&](int y0, int y1) {
            for (int c = 0; c < 3; ++c)
                for (int y = y0; y < y1; ++y)
                    for (int x = 0; x < out.width(); ++x)
                        out.row(c, y)[x] = float(linearOfCode(codes.row(c, y)[x]));
        });
    }
    applyMatrix(frame->codeValues.toRec2020, out.view(), ctx);
    return out;
}

} // namespace

ReturnedPicture returnedAs(const std::string &file, const Recipe &recipe, const RenderPlan &plan)
{
    const FramePtr frame = loadFrame(file);
    const Rect area = pictureArea(plan);
    return {file, frame->id, hashOfSettings(recipe), textOf("%d %d %d %d", area.x0, area.y0, area.x1, area.y1)};
}

bool isOutdated(const Recipe &recipe)
{
    return isReturned(recipe) && hashOfSettings(recipe) != recipe.returned.of;
}

Image<float> returnedPicture(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx)
{
    const ReturnedPicture &returned = plan.recipe.returned;
    const auto &keep = plan.sources.views ? plan.sources.views : plan.sources.cache;
    Hasher hasher;
    hasher.value(StageKey::Returned).text(returned.file).text(returned.id);
    ExecContext reading = ctx.part(0.0, 0.8), resampling = ctx.part(0.8, 1.0);
    const auto whole = keep->get<Image<float>>(
        hasher.finish(), reading, [&](ExecContext &own) { return readPicture(returned, own); },
        [](const Image<float> &image) { return image.bytes(); });
    const RealRect area = areaOf(returned), region = regionOf(request, plan.reference());
    const PlacedView part = placedView(request, region);
    const double perX = whole->width() / (area.x1 - area.x0), perY = whole->height() / (area.y1 - area.y0);
    Image<float> out = resample(whole->view(),
                                {(region.x0 - area.x0) * perX, (region.y0 - area.y0) * perY,
                                 (region.x1 - area.x0) * perX, (region.y1 - area.y0) * perY},
                                part.width, part.height, resampling);
    applyMatrix(rgbToRgb(kRec2020, primariesOf(space)), out.view(), resampling);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] = std::clamp(out.row(c, y)[x], 0.0f, 1.0f);
    return out;
}

} // namespace yolk
