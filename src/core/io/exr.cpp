#include "io/radiance_file_p.h"

#include <half.h>
#include <ImfChannelList.h>
#include <ImfFloatVectorAttribute.h>
#include <ImfFrameBuffer.h>
#include <ImfInputFile.h>
#include <ImfOutputFile.h>
#include <ImfStandardAttributes.h>
#include <ImfStringVectorAttribute.h>
#include <ImfThreading.h>

#include <algorithm>
#include <thread>

namespace yolk {
namespace {

constexpr float kHalfMost = 65504.0f;
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

// Plane as an OpenEXR slice; the window starts at 0, 0.
Imf::Slice sliceOf(const float *plane, ptrdiff_t rowStride, double fill = 0.0)
{
    return Imf::Slice(Imf::FLOAT, reinterpret_cast<char *>(const_cast<float *>(plane)), sizeof(float),
                      size_t(rowStride) * sizeof(float), 1, 1, fill);
}

PictureInfo exrInfo(const std::string &path)
{
    return translated<InputError>(path, "is a damaged EXR file, or of a kind that cannot be read", [&] {
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
    });
}

std::string shareChannel(int frame)
{
    return "share." + std::to_string(frame + 1);
}

Imf::Header headerOf(int width, int height, const RadianceNotes &notes, const ExrOptions &options)
{
    Imf::Header header(width, height);
    header.compression() = options.compression == RadianceCompression::None  ? Imf::NO_COMPRESSION
                           : options.compression == RadianceCompression::Piz ? Imf::PIZ_COMPRESSION
                                                                             : Imf::ZIP_COMPRESSION;
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
    if (!notes.frameNames.empty())
        header.insert("frameNames", Imf::StringVectorAttribute(notes.frameNames));
    if (!notes.frameEvs.empty())
        header.insert("frameEVs", Imf::FloatVectorAttribute(notes.frameEvs));
    const bool half = options.pixels == RadiancePixels::Half;
    for (const char *name : kChannels) {
        header.channels().insert(name, Imf::Channel(half ? Imf::HALF : Imf::FLOAT));
        if (options.variance)
            header.channels().insert(std::string("variance.") + name, Imf::Channel(Imf::FLOAT));
    }
    for (int i = 0; i < options.shares; ++i)
        header.channels().insert(shareChannel(i), Imf::Channel(Imf::HALF));
    return header;
}

/// The rows of a strip as a half-float plane. OpenEXR converts no types when it writes.
void toHalf(ImageView<const float> from, int plane, std::vector<half> &to)
{
    to.resize(from.shape().pixels());
    auto at = to.begin();
    for (int y = 0; y < from.height(); ++y)
        for (int x = 0; x < from.width(); ++x)
            *at++ = half(std::clamp(from.row(plane, y)[x], -kHalfMost, kHalfMost));
}

} // namespace

extern const Codec kExrCodec{
    "EXR", [](std::span<const std::byte> head, const std::string &) { return startsWith(head, "\x76\x2f\x31\x01"); },
    &exrInfo, [](int) { return 1; },
    [](const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &ctx) {
        deliver(readExr(path), sink, ctx);
    }};

void writeExr(const std::string &path, int width, int height, const RadianceNotes &notes, const ExrOptions &options,
              const FillStrip &fill)
{
    checkRgb({width, height, 3}, path);
    translated<OutputError>(path, "", [&] {
        static const bool threaded = [] {
            Imf::setGlobalThreadCount(int(std::thread::hardware_concurrency()));
            return true;
        }();
        static_cast<void>(threaded);
        Imf::OutputFile file(path.c_str(), headerOf(width, height, notes, options));
        std::vector<std::vector<half>> halves(size_t(3 + options.shares));
        const auto write = [&](const RadianceStrip &strip) {
            Imf::FrameBuffer buffer;
            const auto insertFloat = [&](const std::string &name, ImageView<float> planes, int plane) {
                const ptrdiff_t stride = planes.rowStride();
                buffer.insert(name, sliceOf(planes.row(plane, 0) - strip.y * stride, stride));
            };
            const auto insertHalf = [&](const std::string &name, ImageView<float> planes, int plane,
                                        std::vector<half> &as) {
                toHalf(planes, plane, as);
                const half *origin = as.data() - ptrdiff_t(strip.y) * width;
                buffer.insert(name, Imf::Slice(Imf::HALF, reinterpret_cast<char *>(const_cast<half *>(origin)),
                                               sizeof(half), size_t(width) * sizeof(half)));
            };
            for (int c = 0; c < 3; ++c) {
                if (options.pixels == RadiancePixels::Half)
                    insertHalf(kChannels[c], strip.rgb, c, halves[size_t(c)]);
                else
                    insertFloat(kChannels[c], strip.rgb, c);
                if (options.variance)
                    insertFloat(std::string("variance.") + kChannels[c], strip.variance, c);
            }
            for (int i = 0; i < options.shares; ++i)
                insertHalf(shareChannel(i), strip.shares, i, halves[size_t(3 + i)]);
            file.setFrameBuffer(buffer);
            file.writePixels(strip.rgb.height());
        };
        forEachStrip(width, height, options.variance, options.shares, fill, write);
    });
}

void writeExr(const std::string &path, ImageView<const float> rgb, const RadianceNotes &notes)
{
    checkRgb(rgb.shape(), path);
    writeExr(path, rgb.width(), rgb.height(), notes, {}, copying(rgb));
}

RadianceFile readExr(const std::string &path)
{
    return translated<InputError>(path, "its picture data is cut off or damaged", [&] {
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
    });
}

} // namespace yolk
