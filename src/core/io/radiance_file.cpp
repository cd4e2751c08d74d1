#include "io/radiance_file.h"

#include "base/errors.h"
#include "io/codec.h"

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfInputFile.h>
#include <ImfOutputFile.h>
#include <ImfStandardAttributes.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <vector>

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

constexpr const char *kChannels[3] = {"R", "G", "B"};

Imath::V2f v2f(Chromaticity c)
{
    return {float(c.x), float(c.y)};
}
Chromaticity chromaticityOf(Imath::V2f v)
{
    return {v.x, v.y};
}

Primaries primariesOf(const Imf::Header &header)
{
    if (!Imf::hasChromaticities(header))
        return kRec709;
    const Imf::Chromaticities &c = Imf::chromaticities(header);
    return {chromaticityOf(c.red), chromaticityOf(c.green), chromaticityOf(c.blue), chromaticityOf(c.white)};
}

void checkRgb(ImageView<const float> rgb, const std::string &path)
{
    if (rgb.shape().empty() || rgb.planes() != 3)
        throw ArgumentError(path + textOf(": radiance of %d x %d x %d: must have three planes", rgb.width(),
                                          rgb.height(), rgb.planes()));
}

// Plane p as an OpenEXR slice; the window starts at 0, 0.
Imf::Slice sliceOf(const float *plane, ptrdiff_t rowStride, double fill = 0.0)
{
    return Imf::Slice(Imf::FLOAT, reinterpret_cast<char *>(const_cast<float *>(plane)), sizeof(float),
                      size_t(rowStride) * sizeof(float), 1, 1, fill);
}

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
        // Past the end stb goes on with zeros, which some of its releases take for runs of no pixels, for ever. Runs of
        // one pixel bring it to its end.
        file.short_ = true;
        std::memset(to, 0x81, size_t(size));
        return size;
    }
    static void skip(void *self, int n) { std::fseek(static_cast<HdrFile *>(self)->file_.get(), n, SEEK_CUR); }
    static int atEnd(void *self) { return std::feof(static_cast<HdrFile *>(self)->file_.get()); }
    static constexpr stbi_io_callbacks kCallbacks{&readSome, &skip, &atEnd};

    std::string path_;
    std::unique_ptr<FILE, int (*)(FILE *)> file_;
    bool short_ = false; ///< asked for more than there is
};

PictureInfo radianceInfo(Shape shape, const Primaries &primaries)
{
    PictureInfo out{shape.width, shape.height, 3, 32, {}};
    out.primaries = primaries;
    return out;
}

void deliver(const RadianceFile &file, const RowSink &sink, ExecContext &ctx)
{
    std::vector<float> row(size_t(file.rgb.width()) * 3);
    for (int y = 0; y < file.rgb.height(); ++y) {
        if (y % kBandRows == 0)
            ctx.throwIfStopped();
        for (int x = 0; x < file.rgb.width(); ++x)
            for (int c = 0; c < 3; ++c)
                row[size_t(3 * x + c)] = file.rgb.row(c, y)[x];
        sink(y, {.real = row});
    }
}

template <size_t N> bool startsWith(std::span<const std::byte> head, const char (&magic)[N])
{
    return head.size() >= N - 1 && std::memcmp(head.data(), magic, N - 1) == 0;
}

PictureInfo exrInfo(const std::string &path)
{
    try {
        const Imf::InputFile file(path.c_str());
        const Imf::Header &header = file.header();
        const Imath::Box2i window = header.dataWindow();
        const long long width = (long long)window.max.x - window.min.x + 1;
        const long long height = (long long)window.max.y - window.min.y + 1;
        checkSize(path, width, height);
        for (const char *channel : kChannels)
            if (!header.channels().findChannel(channel))
                throw InputError(path, std::string("has no channel ") + channel);
        return radianceInfo({int(width), int(height), 3}, primariesOf(header));
    } catch (const Error &) {
        throw;
    } catch (const std::bad_alloc &) {
        throw;
    } catch (const std::exception &) {
        throw InputError(path, "is a damaged EXR file, or of a kind that cannot be read");
    }
}

} // namespace

extern const Codec kExrCodec{
    "EXR", [](std::span<const std::byte> head, const std::string &) { return startsWith(head, "\x76\x2f\x31\x01"); },
    &exrInfo, [](int) { return 1; },
    [](const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &ctx) {
        deliver(readExr(path), sink, ctx);
    }};

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

void writeExr(const std::string &path, ImageView<const float> rgb, const RadianceNotes &notes)
{
    checkRgb(rgb, path);
    try {
        Imf::Header header(rgb.width(), rgb.height());
        header.compression() = Imf::ZIP_COMPRESSION;
        const Primaries &p = notes.primaries;
        Imf::addChromaticities(header, {v2f(p.red), v2f(p.green), v2f(p.blue), v2f(p.white)});
        if (notes.exposureSeconds)
            Imf::addExpTime(header, float(*notes.exposureSeconds));
        if (notes.fNumber)
            Imf::addAperture(header, float(*notes.fNumber));
        if (notes.iso)
            Imf::addIsoSpeed(header, float(*notes.iso));
        if (!notes.dateTime.empty())
            Imf::addCapDate(header, notes.dateTime);
        if (!notes.camera.empty())
            header.insert("cameraModel", Imf::StringAttribute(notes.camera));
        if (!notes.software.empty())
            header.insert("software", Imf::StringAttribute(notes.software));
        Imf::FrameBuffer buffer;
        for (int plane = 0; plane < 3; ++plane) {
            header.channels().insert(kChannels[plane], Imf::Channel(Imf::FLOAT));
            buffer.insert(kChannels[plane], sliceOf(rgb.row(plane, 0), rgb.rowStride()));
        }
        Imf::OutputFile file(path.c_str(), header);
        file.setFrameBuffer(buffer);
        file.writePixels(rgb.height());
    } catch (const Error &) {
        throw;
    } catch (const std::bad_alloc &) {
        throw;
    } catch (const std::exception &e) {
        throw OutputError(path, e.what());
    }
}

RadianceFile readExr(const std::string &path)
{
    try {
        Imf::InputFile file(path.c_str());
        const Imf::Header &header = file.header();
        const Imath::Box2i window = header.dataWindow();
        const long long width = (long long)window.max.x - window.min.x + 1;
        const long long height = (long long)window.max.y - window.min.y + 1;
        checkSize(path, width, height);
        RadianceFile out;
        out.rgb = Image<float>(int(width), int(height), 3);
        Imf::FrameBuffer buffer;
        for (int plane = 0; plane < 3; ++plane) {
            if (!header.channels().findChannel(kChannels[plane]))
                throw InputError(path, std::string("has no channel ") + kChannels[plane]);
            const ptrdiff_t stride = out.rgb.view().rowStride();
            const float *origin = out.rgb.row(plane, 0) - window.min.x - window.min.y * stride;
            buffer.insert(kChannels[plane], sliceOf(origin, stride));
        }
        file.setFrameBuffer(buffer);
        file.readPixels(window.min.y, window.max.y);
        out.notes.primaries = primariesOf(header);
        if (Imf::hasExpTime(header))
            out.notes.exposureSeconds = Imf::expTime(header);
        return out;
    } catch (const Error &) {
        throw;
    } catch (const std::bad_alloc &) {
        throw;
    } catch (const std::exception &) {
        throw InputError(path, "its picture data is cut off or damaged");
    }
}

long long writeRadianceHdr(const std::string &path, ImageView<const float> rgb)
{
    checkRgb(rgb, path);
    std::vector<float> pixels(rgb.shape().pixels() * 3);
    long long negatives = 0;
    for (int y = 0; y < rgb.height(); ++y)
        for (int x = 0; x < rgb.width(); ++x) {
            bool negative = false;
            for (int c = 0; c < 3; ++c) {
                const float v = rgb.row(c, y)[x];
                negative = negative || v < 0.0f;
                pixels[(size_t(y) * size_t(rgb.width()) + size_t(x)) * 3 + size_t(c)] = v > 0.0f ? v : 0.0f;
            }
            negatives += negative;
        }
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "wb"), &std::fclose);
    if (!file)
        throw OutputError(path, std::strerror(errno));
    struct Sink {
        FILE *file;
        bool good;
    } sink{file.get(), true};
    const auto write = [](void *context, void *data, int size) {
        auto &to = *static_cast<Sink *>(context);
        to.good = to.good && std::fwrite(data, 1, size_t(size), to.file) == size_t(size);
    };
    const bool written = stbi_write_hdr_to_func(write, &sink, rgb.width(), rgb.height(), 3, pixels.data()) != 0;
    if (!written || !sink.good || std::fflush(file.get()) != 0)
        throw OutputError(path, "could not be written whole; is the disk full?");
    return negatives;
}

} // namespace yolk
