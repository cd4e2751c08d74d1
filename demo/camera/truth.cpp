#include "truth.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/atomic_file.h"

#include <ImfArray.h>
#include <ImfHeader.h>
#include <ImfRgbaFile.h>
#include <png.h>

#include <algorithm>
#include <cmath>
#include <cstring>

namespace yolk::demo {

/// How much DWAA may lose: errors of 0.007 stops (RMS) on the demo scene; its default of 45 gives 0.05.
constexpr float kDwaLevel = 5.0f;

void writeTruth(const std::string &path, ImageView<const float> rgb)
{
    const int width = rgb.width(), height = rgb.height();
    Imf::Array2D<Imf::Rgba> pixels(height, width);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            pixels[y][x] = Imf::Rgba(rgb.row(0, y)[x], rgb.row(1, y)[x], rgb.row(2, y)[x]);
    writeAtomically(path, [&](const std::string &temporary) {
        try {
            Imf::Header header(width, height);
            header.compression() = Imf::DWAA_COMPRESSION;
            header.dwaCompressionLevel() = kDwaLevel;
            Imf::RgbaOutputFile out(temporary.c_str(), header, Imf::WRITE_RGB);
            out.setFrameBuffer(&pixels[0][0], 1, size_t(width));
            out.writePixels(height);
        } catch (const std::exception &e) {
            throw OutputError(temporary, e.what());
        }
    });
}

Image<float> cutOut(ImageView<const float> rgb, const Box &box)
{
    if (box.x < 0 || box.y < 0 || box.width < 1 || box.height < 1 || box.x + box.width > rgb.width() ||
        box.y + box.height > rgb.height())
        throw ArgumentError(
            textOf("the box %d,%d %d x %d does not lie within the picture", box.x, box.y, box.width, box.height));
    Image<float> out(box.width, box.height, 3);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < box.height; ++y)
            std::copy_n(rgb.row(c, box.y + y) + box.x, box.width, out.row(c, y));
    return out;
}

void putOver(ImageView<float> rgb, ImageView<const float> part, int x, int y)
{
    if (x < 0 || y < 0 || x + part.width() > rgb.width() || y + part.height() > rgb.height())
        throw ArgumentError(textOf("a part of %d x %d does not fit at %d,%d", part.width(), part.height(), x, y));
    for (int c = 0; c < 3; ++c)
        for (int row = 0; row < part.height(); ++row)
            std::copy_n(part.row(c, row), part.width(), rgb.row(c, y + row) + x);
}

Image<uint8_t> maskOf(ImageView<const float> with, ImageView<const float> without)
{
    if (with.shape() != without.shape())
        throw ArgumentError("mask: the two pictures differ in size");
    Image<uint8_t> out(with.width(), with.height(), 1);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < with.height(); ++y)
            for (int x = 0; x < with.width(); ++x) {
                const float a = with.row(c, y)[x], b = without.row(c, y)[x];
                if (!(std::abs(a - b) > 1e-3f * std::max(a, b)))
                    continue;
                for (int j = std::max(0, y - 1); j <= std::min(out.height() - 1, y + 1); ++j)
                    for (int i = std::max(0, x - 1); i <= std::min(out.width() - 1, x + 1); ++i)
                        out.row(0, j)[i] = 255;
            }
    return out;
}

void writeMask(const std::string &path, ImageView<const uint8_t> mask)
{
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    image.width = png_uint_32(mask.width());
    image.height = png_uint_32(mask.height());
    image.format = PNG_FORMAT_GRAY;
    writeAtomically(path, [&](const std::string &temporary) {
        if (!png_image_write_to_file(&image, temporary.c_str(), 0, mask.row(0, 0), png_int_32(mask.rowStride()),
                                     nullptr))
            throw OutputError(temporary, image.message);
    });
}

} // namespace yolk::demo
