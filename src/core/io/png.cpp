#include "io/png.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/codec.h"

#include <cerrno>
#include <csetjmp>
#include <cstdio>
#include <cstring>
#include <png.h>

namespace yolk {
namespace {

struct PngFailure {
    std::string reason;
};

[[noreturn]] void throwFailure(png_structp, png_const_charp text)
{
    // "Read Error" is all it says of a file that ends too early.
    throw PngFailure{std::strcmp(text, "Read Error") == 0 ? "the file ends too early"
                                                          : std::string("is damaged (") + text + ")"};
}

class Reader {
public:
    explicit Reader(const std::string &path) : file_(std::fopen(path.c_str(), "rb"), &std::fclose)
    {
        if (!file_)
            throw InputError(path, std::strerror(errno));
        png =
            png_create_read_struct(PNG_LIBPNG_VER_STRING, nullptr, &throwFailure, [](png_structp, png_const_charp) {});
        info = png ? png_create_info_struct(png) : nullptr;
        if (!info)
            throw std::bad_alloc();
        png_init_io(png, file_.get());
        png_set_user_limits(png, 0x7fffffff, 0x7fffffff); // our own limit is on the area, below
    }
    ~Reader() { png_destroy_read_struct(&png, &info, nullptr); }
    Reader(const Reader &) = delete;
    Reader &operator=(const Reader &) = delete;

    /// Reads the header and asks for grey or RGB rows of 8 or 16 bits in the machine's order.
    PictureInfo readHeader(const std::string &path)
    {
        png_read_info(png, info);
        checkSize(path, png_get_image_width(png, info), png_get_image_height(png, info));
        png_set_expand(png); // palettes, small greys, transparency chunks
        png_set_strip_alpha(png);
        if (png_get_bit_depth(png, info) == 16)
            png_set_swap(png);
        passes = png_set_interlace_handling(png);
        PictureInfo out;
        png_charp name = nullptr;
        int compression = 0;
        png_bytep profile = nullptr;
        png_uint_32 size = 0;
        if (png_get_iCCP(png, info, &name, &compression, &profile, &size)) {
            const auto *bytes = reinterpret_cast<const std::byte *>(profile);
            out.profile.assign(bytes, bytes + size);
        }
        png_read_update_info(png, info);
        out.width = int(png_get_image_width(png, info));
        out.height = int(png_get_image_height(png, info));
        out.channels = png_get_channels(png, info);
        out.bits = png_get_bit_depth(png, info);
        return out;
    }

    png_structp png = nullptr;
    png_infop info = nullptr;
    int passes = 1;

private:
    std::unique_ptr<FILE, int (*)(FILE *)> file_;
};

bool recognises(std::span<const std::byte> head, const std::string &)
{
    return head.size() >= 8 && png_sig_cmp(reinterpret_cast<png_const_bytep>(head.data()), 0, 8) == 0;
}

PictureInfo readInfo(const std::string &path)
{
    Reader reader(path);
    try {
        return reader.readHeader(path);
    } catch (const PngFailure &failure) {
        throw InputError(path, failure.reason);
    }
}

void readRows(const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &)
{
    Reader reader(path);
    try {
        const PictureInfo info = reader.readHeader(path);
        const size_t samples = size_t(info.width) * size_t(info.channels);
        const int kept = reader.passes > 1 ? info.height : 1; // interlaced rows come in passes over the whole picture
        std::vector<uint16_t> store(size_t(kept) * ((samples * size_t(info.bits) / 8 + 1) / 2));
        const size_t stride = store.size() / size_t(kept);
        const auto rowAt = [&](int y) { return store.data() + size_t(y % kept) * stride; };
        const auto deliver = [&](int y) {
            const uint16_t *row = rowAt(y);
            if (info.bits == 8)
                sink(y, {.eight = {reinterpret_cast<const uint8_t *>(row), samples}, .sixteen = {}});
            else
                sink(y, {.eight = {}, .sixteen = {row, samples}});
        };
        for (int pass = 0; pass < reader.passes; ++pass)
            for (int y = 0; y < info.height; ++y) {
                png_read_row(reader.png, reinterpret_cast<png_bytep>(rowAt(y)), nullptr);
                if (reader.passes == 1)
                    deliver(y);
            }
        if (reader.passes > 1)
            for (int y = 0; y < info.height; ++y)
                deliver(y);
    } catch (const PngFailure &failure) {
        throw InputError(path, failure.reason);
    }
}

} // namespace

extern const Codec kPngCodec{"PNG", &recognises, &readInfo, [](int) { return 1; }, &readRows};

void writePng(const std::string &path, int width, int height, std::span<const std::byte> profile,
              const PngOptions &options, const FillRow16 &fill)
{
    if (width < 1 || height < 1)
        throw ArgumentError(textOf("PNG of %d x %d pixels: sides must be at least 1", width, height));
    if (options.bits != 8 && options.bits != 16)
        throw ArgumentError(textOf("PNG of %d bits: must be 8 or 16", options.bits));
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "wb"), &std::fclose);
    if (!file)
        throw OutputError(path, std::strerror(errno));
    struct Writer {
        png_structp png =
            png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, &throwFailure, [](png_structp, png_const_charp) {});
        png_infop info = png ? png_create_info_struct(png) : nullptr;
        ~Writer() { png_destroy_write_struct(&png, &info); }
    } writer;
    if (!writer.info)
        throw std::bad_alloc();
    const bool hasAlpha = options.alpha == Alpha::Unassociated;
    const size_t samples = size_t(width) * (hasAlpha ? 4 : 3);
    try {
        png_init_io(writer.png, file.get());
        png_set_IHDR(writer.png, writer.info, png_uint_32(width), png_uint_32(height), options.bits,
                     hasAlpha ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE,
                     PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
        png_set_compression_level(writer.png, 3); // a third of the time of 6 for some 3 % more bytes
        png_set_filter(writer.png, PNG_FILTER_TYPE_BASE, PNG_FILTER_SUB | PNG_FILTER_UP);
        if (!profile.empty())
            png_set_iCCP(writer.png, writer.info, "ICC profile", PNG_COMPRESSION_TYPE_BASE,
                         reinterpret_cast<png_const_bytep>(profile.data()), png_uint_32(profile.size()));
        if (options.pixelsPerInch > 0.0) {
            const auto perMetre = png_uint_32(options.pixelsPerInch / 0.0254 + 0.5);
            png_set_pHYs(writer.png, writer.info, perMetre, perMetre, PNG_RESOLUTION_METER);
        }
        png_write_info(writer.png, writer.info);
        if (options.bits == 16)
            png_set_swap(writer.png);
        std::vector<uint16_t> row(samples);
        std::vector<uint8_t> bytes(options.bits == 8 ? samples : 0);
        for (int y = 0; y < height; ++y) {
            fill(y, row);
            std::copy(row.begin(), row.begin() + ptrdiff_t(bytes.size()), bytes.begin());
            png_write_row(writer.png, options.bits == 8 ? bytes.data() : reinterpret_cast<png_bytep>(row.data()));
        }
        png_write_end(writer.png, writer.info);
    } catch (const PngFailure &) {
        throw OutputError(path,
                          errno == ENOSPC ? std::strerror(errno) : "could not be written whole; is the disk full?");
    }
    if (std::fflush(file.get()) != 0)
        throw OutputError(path, std::strerror(errno));
}

} // namespace yolk
