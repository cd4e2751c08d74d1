#include "render/stages/returned_file.h"

#include "base/errors.h"
#include "colour/matrix_rows.h"
#include "frames/frame.h"
#include "io/linear_codes.h"

#include <cstdio>

namespace yolk {
namespace {

RealRect areaOf(const ReturnedPicture &returned)
{
    RealRect out;
    if (std::sscanf(returned.area.c_str(), "%lf %lf %lf %lf", &out.x0, &out.y0, &out.x1, &out.y1) != 4 ||
        !(out.x1 > out.x0) || !(out.y1 > out.y0))
        throw ArgumentError("returned.area = " + returned.area + ": must be four numbers, as 0 0 600 400");
    return out;
}

} // namespace

Image<float> readReturned(const ReturnedPicture &returned, ExecContext &ctx)
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

Image<float> partOfReturned(ImageView<const float> whole, const ReturnedPicture &returned, const RealRect &region,
                            int width, int height, ExecContext &ctx)
{
    const RealRect area = areaOf(returned);
    const double perX = whole.width() / (area.x1 - area.x0), perY = whole.height() / (area.y1 - area.y0);
    return resample(whole,
                    {(region.x0 - area.x0) * perX, (region.y0 - area.y0) * perY, (region.x1 - area.x0) * perX,
                     (region.y1 - area.y0) * perY},
                    width, height, ctx);
}

} // namespace yolk
