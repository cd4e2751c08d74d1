#include "io/radiance_file_p.h"

#include <cerrno>
#include <cstdio>
#include <memory>

#define STB_IMAGE_WRITE_STATIC
#define STB_IMAGE_WRITE_IMPLEMENTATION
#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_HDR
#define STBI_NO_STDIO
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wmissing-field-initializers"
#pragma GCC diagnostic ignored "-Wshadow"
#pragma GCC diagnostic ignored "-Wsign-conversion"
#pragma GCC diagnostic ignored "-Wold-style-cast"
#include <stb/stb_image.h>
#include <stb/stb_image_write.h>
#pragma GCC diagnostic pop

namespace yolk {
namespace {

/// A file as stb reads it, which does not mind its end: that must be noticed here.
class HdrFile {
public:
    explicit HdrFile(const std::string &path) : path_(path), file_(std::fopen(path.c_str(), "rb"), &std::fclose)
    {
        if (!file_)
            throw InputError(path, std::strerror(errno));
    }
    Shape shape()
    {
        std::rewind(file_.get());
        filler_ = '\n'; // an empty line ends any header
        int width = 0, height = 0, channels = 0;
        if (!stbi_info_from_callbacks(&kCallbacks, this, &width, &height, &channels))
            throw InputError(path_, "is a damaged Radiance HDR file");
        checkSize(path_, width, height);
        return {width, height, 3};
    }
    Image<float> pixels()
    {
        Image<float> out(shape());
        std::rewind(file_.get());
        short_ = false;
        filler_ = 0x81; // runs of one pixel bring any picture to its end
        int width = 0, height = 0, channels = 0;
        const std::unique_ptr<float, void (*)(void *)> read(
            stbi_loadf_from_callbacks(&kCallbacks, this, &width, &height, &channels, 3), &stbi_image_free);
        if (!read || short_ || width != out.width() || height != out.height())
            throw InputError(path_, "its picture data is cut off or damaged");
        const float *from = read.get();
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                for (int c = 0; c < 3; ++c)
                    out.row(c, y)[x] = *from++;
        return out;
    }

private:
    static int readSome(void *self, char *to, int size)
    {
        auto &file = *static_cast<HdrFile *>(self);
        const size_t got = std::fread(to, 1, size_t(size), file.file_.get());
        if (got > 0)
            return int(got);
        // Past the end stb goes on with zeros, which some of its releases take for runs of no pixels, and in a header for
        // one line more, for ever.
        file.short_ = true;
        std::memset(to, file.filler_, size_t(size));
        return size;
    }
    static void skip(void *self, int n) { std::fseek(static_cast<HdrFile *>(self)->file_.get(), n, SEEK_CUR); }
    static int atEnd(void *self) { return std::feof(static_cast<HdrFile *>(self)->file_.get()); }
    static constexpr stbi_io_callbacks kCallbacks{&readSome, &skip, &atEnd};

    std::string path_;
    std::unique_ptr<FILE, int (*)(FILE *)> file_;
    bool short_ = false; ///< asked for more than there is
    int filler_ = 0;     ///< what it gets then
};

} // namespace

extern const Codec kHdrCodec{"HDR",
                             [](std::span<const std::byte> head, const std::string &) {
                                 return startsWith(head, "#?RADIANCE") || startsWith(head, "#?RGBE");
                             },
                             [](const std::string &path) { return radianceInfo(HdrFile(path).shape(), kRec709); },
                             [](int) { return 1; },
                             [](const std::string &path, int, const RawOptions &, const RowSink &sink,
                                ExecContext &ctx) { deliver(readRadianceHdr(path), sink, ctx); }};

RadianceFile readRadianceHdr(const std::string &path)
{
    return {HdrFile(path).pixels(), {}};
}

long long writeRadianceHdr(const std::string &path, int width, int height, const FillStrip &fill)
{
    checkRgb({width, height, 3}, path);
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "wb"), &std::fclose);
    if (!file)
        throw OutputError(path, std::strerror(errno));
    std::vector<float> pixels;
    std::string coded;
    long long negatives = 0;
    bool good = true;
    // The library writes whole pictures only: each strip is one, and the first one's header gets the height of all.
    forEachStrip(width, height, false, 0, fill, [&](const RadianceStrip &strip) {
        pixels.clear();
        for (int y = 0; y < strip.rgb.height(); ++y)
            for (int x = 0; x < width; ++x) {
                bool negative = false;
                for (int c = 0; c < 3; ++c) {
                    const float v = strip.rgb.row(c, y)[x];
                    negative = negative || v < 0.0f;
                    pixels.push_back(v > 0.0f ? v : 0.0f);
                }
                negatives += negative;
            }
        coded.clear();
        const auto append = [](void *to, void *data, int size) {
            static_cast<std::string *>(to)->append(static_cast<const char *>(data), size_t(size));
        };
        good = good && stbi_write_hdr_to_func(append, &coded, width, strip.rgb.height(), 3, pixels.data()) != 0;
        const size_t size = coded.find("-Y "), end = coded.find('\n', size);
        if (!good || size == std::string::npos || end == std::string::npos)
            throw OutputError(path, "could not be coded");
        if (strip.y == 0)
            good = std::fprintf(file.get(), "%s-Y %d +X %d\n", coded.substr(0, size).c_str(), height, width) > 0;
        good = good &&
               std::fwrite(coded.data() + end + 1, 1, coded.size() - end - 1, file.get()) == coded.size() - end - 1;
        if (!good)
            throw OutputError(path, "could not be written whole; is the disk full?");
    });
    if (std::fflush(file.get()) != 0)
        throw OutputError(path, "could not be written whole; is the disk full?");
    return negatives;
}

long long writeRadianceHdr(const std::string &path, ImageView<const float> rgb)
{
    checkRgb(rgb.shape(), path);
    return writeRadianceHdr(path, rgb.width(), rgb.height(), copying(rgb));
}

} // namespace yolk
