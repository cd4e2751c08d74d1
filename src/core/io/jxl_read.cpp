// JPEG XL through libjxl.
#include "base/errors.h"
#include "io/codec.h"
#include "io/quiet_p.h"

#include <jxl/decode.h>
#include <jxl/thread_parallel_runner.h>

#include <cstring>
#include <fstream>
#include <memory>

namespace yolk {
namespace {

/// As for HEIF: about a JPEG of quality 95, in squares of a code of 8 bits.
constexpr double kCodingVariance = 1.5;

class File {
public:
    explicit File(const std::string &path) : path_(path), decoder_(JxlDecoderCreate(nullptr), &JxlDecoderDestroy)
    {
        std::ifstream in(path, std::ios::binary | std::ios::ate);
        if (!in)
            throw InputError(path, std::strerror(errno));
        bytes_.resize(size_t(in.tellg()));
        in.seekg(0);
        in.read(reinterpret_cast<char *>(bytes_.data()), std::streamsize(bytes_.size()));
        if (!in || !decoder_)
            throw InputError(path, "cannot be read whole");
    }

    /// Reads up to the colours, or the pixels too where `pixels` is given: rows without gaps.
    PictureInfo read(std::vector<std::byte> *pixels)
    {
        JxlDecoder *const d = decoder_.get();
        const std::unique_ptr<void, void (*)(void *)> runner(JxlThreadParallelRunnerCreate(nullptr, 2),
                                                             &JxlThreadParallelRunnerDestroy);
        int wanted = JXL_DEC_BASIC_INFO | JXL_DEC_COLOR_ENCODING;
        if (pixels)
            wanted |= JXL_DEC_FULL_IMAGE;
        if (JxlDecoderSetParallelRunner(d, &JxlThreadParallelRunner, runner.get()) != JXL_DEC_SUCCESS ||
            JxlDecoderSubscribeEvents(d, wanted) != JXL_DEC_SUCCESS ||
            JxlDecoderSetInput(d, bytes_.data(), bytes_.size()) != JXL_DEC_SUCCESS)
            fail();
        JxlDecoderCloseInput(d);
        PictureInfo out;
        JxlPixelFormat format{3, JXL_TYPE_UINT8, JXL_NATIVE_ENDIAN, 0};
        for (;;) {
            switch (JxlDecoderProcessInput(d)) {
            case JXL_DEC_BASIC_INFO:
                out = infoOf();
                format.num_channels = uint32_t(out.channels);
                format.data_type = out.bits == 8 ? JXL_TYPE_UINT8 : JXL_TYPE_UINT16;
                break;
            case JXL_DEC_COLOR_ENCODING:
                out.profile = profileOf(format);
                if (!pixels)
                    return out;
                break;
            case JXL_DEC_NEED_IMAGE_OUT_BUFFER: {
                size_t size = 0;
                if (JxlDecoderImageOutBufferSize(d, &format, &size) != JXL_DEC_SUCCESS ||
                    size != size_t(out.width) * size_t(out.height) * size_t(out.channels) * size_t(out.bits / 8))
                    fail();
                pixels->resize(size);
                if (JxlDecoderSetImageOutBuffer(d, &format, pixels->data(), size) != JXL_DEC_SUCCESS)
                    fail();
                break;
            }
            case JXL_DEC_FULL_IMAGE: // of more frames the first
                return out;
            default:
                fail();
            }
        }
    }

private:
    [[noreturn]] void fail() const { throw InputError(path_, "is a damaged JPEG XL, or is cut off"); }

    PictureInfo infoOf() const
    {
        JxlBasicInfo info;
        if (JxlDecoderGetBasicInfo(decoder_.get(), &info) != JXL_DEC_SUCCESS)
            fail();
        PictureInfo out;
        const bool turned = info.orientation >= JXL_ORIENT_TRANSPOSE; // rows come upright
        checkSize(path_, turned ? info.ysize : info.xsize, turned ? info.xsize : info.ysize);
        out.width = int(turned ? info.ysize : info.xsize);
        out.height = int(turned ? info.xsize : info.ysize);
        out.channels = info.num_color_channels == 1 ? 1 : 3;
        if (info.exponent_bits_per_sample > 0)
            throw InputError(path_, "is a JPEG XL of floating point, which cannot be read; save it as OpenEXR");
        out.bits = info.bits_per_sample > 8 ? 16 : 8;
        out.isUpright = true;
        const double top = out.bits == 8 ? 1.0 : 65535.0 / 255.0;
        out.codingVariance = info.uses_original_profile
                                 ? 1.0 / 12.0
                                 : kCodingVariance * top * top; // the former is nearly always lossless
        return out;
    }

    std::vector<std::byte> profileOf(const JxlPixelFormat &format) const
    {
        JxlColorEncoding named;
        if (JxlDecoderGetColorAsEncodedProfile(decoder_.get(), &format, JXL_COLOR_PROFILE_TARGET_DATA, &named) ==
                JXL_DEC_SUCCESS &&
            (named.transfer_function == JXL_TRANSFER_FUNCTION_PQ ||
             named.transfer_function == JXL_TRANSFER_FUNCTION_HLG))
            throw InputError(path_, "is a finished picture for HDR screens (PQ or HLG), not a frame of a camera");
        size_t size = 0;
        if (JxlDecoderGetICCProfileSize(decoder_.get(), &format, JXL_COLOR_PROFILE_TARGET_DATA, &size) !=
            JXL_DEC_SUCCESS)
            return {};
        std::vector<std::byte> out(size);
        if (JxlDecoderGetColorAsICCProfile(decoder_.get(), &format, JXL_COLOR_PROFILE_TARGET_DATA,
                                           reinterpret_cast<uint8_t *>(out.data()), size) != JXL_DEC_SUCCESS)
            fail();
        return out;
    }

    const std::string &path_;
    std::vector<uint8_t> bytes_;
    std::unique_ptr<JxlDecoder, void (*)(JxlDecoder *)> decoder_;
};

bool recognises(std::span<const std::byte> head, const std::string &)
{
    constexpr unsigned char kBox[] = {0, 0, 0, 12, 'J', 'X', 'L', ' ', 0x0D, 0x0A, 0x87, 0x0A};
    return (head.size() >= 2 && head[0] == std::byte{0xFF} && head[1] == std::byte{0x0A}) ||
           (head.size() >= sizeof kBox && std::memcmp(head.data(), kBox, sizeof kBox) == 0);
}

PictureInfo readInfo(const std::string &path)
{
    const Quiet quiet;
    return File(path).read(nullptr);
}

void readRows(const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &ctx)
{
    std::vector<std::byte> pixels;
    const PictureInfo info = [&] {
        const Quiet quiet;
        return File(path).read(&pixels);
    }();
    ctx.throwIfStopped();
    const size_t samples = size_t(info.width) * size_t(info.channels);
    for (int y = 0; y < info.height; ++y) {
        const std::byte *row = pixels.data() + size_t(y) * samples * size_t(info.bits / 8);
        if (info.bits == 8)
            sink(y, {.eight = {reinterpret_cast<const uint8_t *>(row), samples}});
        else
            sink(y, {.sixteen = {reinterpret_cast<const uint16_t *>(row), samples}});
    }
}

} // namespace

extern const Codec kJxlCodec{"JPEG XL", &recognises, &readInfo, [](int) { return 1; }, &readRows};

} // namespace yolk
