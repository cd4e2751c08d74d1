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
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wmissing-field-initializers"
#pragma GCC diagnostic ignored "-Wshadow"
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

} // namespace

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
        if (Imf::hasChromaticities(header)) {
            const Imf::Chromaticities &c = Imf::chromaticities(header);
            out.notes.primaries = {chromaticityOf(c.red), chromaticityOf(c.green), chromaticityOf(c.blue),
                                   chromaticityOf(c.white)};
        }
        if (Imf::hasExpTime(header))
            out.notes.exposureSeconds = Imf::expTime(header);
        return out;
    } catch (const Error &) {
        throw;
    } catch (const std::bad_alloc &) {
        throw;
    } catch (const std::exception &e) {
        throw InputError(path, e.what());
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
