#include "render/views/returned.h"

#include "base/errors.h"
#include "base/text.h"
#include "colour/matrix_rows.h"
#include "recipe/sections.h"
#include "render/stages/align_stage.h"
#include "render/stages/returned_file.h"

#include <algorithm>

namespace yolk {
namespace {

/// Of all that made it; not of how it is written.
std::string hashOfSettings(const Recipe &recipe, Handed what)
{
    Recipe made = recipe;
    made.*returnedIn(what) = {};
    return hashUpTo(what == Handed::Picture ? Stage::Geometry : Stage::Mend, made).hex();
}

} // namespace

Recipe toHandOver(const Recipe &recipe, Handed what)
{
    Recipe out = recipe;
    out.*returnedIn(what) = {};
    if (what == Handed::Picture) {
        out.output.format = PictureFormat::Tiff;
        out.output.depth = FileDepth::Sixteen;
        out.output.light = ExportLight::Standard;
        out.output.sizeBy = SizeBy::Full;
        out.output.sharpening = OutputSharpening::Off;
        return out;
    }
    out.white = {};
    out.lamp = {};
    out.lens.evens = false;
    out.lens.vignetting = 0.0;
    out.geometry.crop = CropMode::Whole;
    out.radiance = {.space = recipe.radiance.space};
    return out;
}

ReturnedPicture returnedAs(const std::string &file, const Recipe &recipe, const RenderPlan &plan, Handed what)
{
    const FramePtr frame = loadFrame(file);
    if (what == Handed::Light && !frame->isRadiance())
        throw InputError(file, "came back as a picture, not as light; save it as floating point OpenEXR");
    const Frame &reference = plan.reference();
    const Rect area = what == Handed::Picture ? pictureArea(plan) : Rect{0, 0, reference.width, reference.height};
    return {file, frame->id, hashOfSettings(recipe, what), textOf("%d %d %d %d", area.x0, area.y0, area.x1, area.y1)};
}

bool isOutdated(const Recipe &recipe, Handed what)
{
    const ReturnedPicture &returned = recipe.*returnedIn(what);
    return returned.isThere() && hashOfSettings(recipe, what) != returned.of;
}

Image<float> returnedPicture(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx)
{
    const ReturnedPicture &returned = plan.recipe.returned;
    const auto &keep = plan.sources.views ? plan.sources.views : plan.sources.cache;
    Hasher hasher;
    hasher.value(StageKey::Returned).text(returned.file).text(returned.id);
    ExecContext reading = ctx.part(0.0, 0.8), resampling = ctx.part(0.8, 1.0);
    const auto whole = keep->get<Image<float>>(
        hasher.finish(), reading, [&](ExecContext &own) { return readReturned(returned, own); },
        [](const Image<float> &image) { return image.bytes(); });
    const RealRect region = regionOf(request, plan.reference());
    const PlacedView part = placedView(request, region);
    Image<float> out = partOfReturned(whole->view(), returned, region, part.width, part.height, resampling);
    applyMatrix(rgbToRgb(kRec2020, primariesOf(space)), out.view(), resampling);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                out.row(c, y)[x] = std::clamp(out.row(c, y)[x], 0.0f, 1.0f);
    return out;
}

} // namespace yolk
