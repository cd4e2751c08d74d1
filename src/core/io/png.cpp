#include "base/errors.h"
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

} // namespace yolk
