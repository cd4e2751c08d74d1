#include "render/files/output.h"

#include "io/atomic_file.h"
#include "io/metadata.h"
#include "io/tiff.h"
#include "render/files/display_codes.h"
#include "render/stages/align_stage.h"
#include "render/views/picture.h"
#include "render/views/through_map.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <vector>

namespace yolk {
namespace {

/// With alpha where not all is reached.
void writeTiff16(const std::string &path, ImageView<const float> display, const Image<uint8_t> &reached,
                 std::span<const std::byte> profile, const std::function<void(int y)> &watch)
{
    std::vector<uint16_t> colours(size_t(display.width()) * 3);
    writeTiff(
        path, display.width(), display.height(), profile,
        [&](int y, std::span<uint16_t> row) {
            watch(y);
            if (reached.height() == 0)
                return encodeRow16(display, y, row);
            encodeRow16(display, y, colours);
            for (size_t x = 0; x < size_t(display.width()); ++x) {
                std::copy_n(colours.data() + 3 * x, 3, row.data() + 4 * x);
                row[4 * x + 3] = reached.row(0, y)[x] ? 0xffff : 0;
            }
        },
        reached.height() == 0 ? Alpha::None : Alpha::Unassociated);
}

} // namespace

std::string extensionOf(const std::string &path)
{
    std::string ext = std::filesystem::path(path).extension().string();
    std::ranges::transform(ext, ext.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return ext;
}

PictureFormat pictureFormatOf(const std::string &path)
{
    const std::string ext = extensionOf(path);
    if (ext == ".tif" || ext == ".tiff")
        return PictureFormat::Tiff16;
    if (ext == ".jpg" || ext == ".jpeg")
        return PictureFormat::Jpeg;
    throw ArgumentError(path + ": a finished picture can be written as .tif or .jpg");
}

Shape fittedSize(int width, int height, int maxWidth, int maxHeight)
{
    double scale = 1.0;
    if (maxWidth > 0)
        scale = std::min(scale, double(maxWidth) / width);
    if (maxHeight > 0)
        scale = std::min(scale, double(maxHeight) / height);
    return {std::max(1, int(std::lround(width * scale))), std::max(1, int(std::lround(height * scale))), 3};
}

void exportPicture(const Sources &sources, const Recipe &recipe, const Measured &measured, const std::string &path,
                   int maxWidth, int maxHeight, ExecContext &ctx)
{
    const PictureFormat format = pictureFormatOf(path);
    const RenderPlan plan(sources, measured, recipe);
    const Frame &reference = plan.reference();
    const Rect area = pictureArea(plan);
    const Shape size = fittedSize(area.width(), area.height(), maxWidth, maxHeight);
    ExecContext rendering = ctx.part(0.0, 0.8), writing = ctx.part(0.8, 1.0);
    writeAtomically(path, [&](const std::string &temporary) { // first the file, so that a bad place is said at once
        const RenderRequest request{1, realOf(area), size.width, size.height, true};
        const Image<float> display = render(plan, recipe.output.space, request, rendering);
        const std::vector<std::byte> profile = iccProfile(recipe.output.space);
        const auto watch = [&](int y) {
            if (y % kBandRows == 0) {
                writing.throwIfStopped();
                writing.report(double(y) / size.height);
            }
        };
        if (format == PictureFormat::Tiff16)
            writeTiff16(temporary, display.view(), reachedIn(plan, request, rendering), profile, watch);
        else
            writeJpeg(temporary, size.width, size.height, int(std::lround(recipe.output.quality)), profile,
                      [&](int y, std::span<uint8_t> row) {
                          watch(y);
                          ditherRow8(display.view(), y, row);
                      });
        copyMetadata(reference.path, temporary, {size.width, size.height, kSoftware});
    });
    ctx.report(1.0);
}

} // namespace yolk
