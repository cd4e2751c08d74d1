#include "base/errors.h"
#include "io/still_encoder.h"

#include <jxl/encode.h>
#include <jxl/thread_parallel_runner.h>

#include <cstring>
#include <memory>

namespace yolk {
namespace {

void check(JxlEncoderStatus status)
{
    if (status != JXL_ENC_SUCCESS)
        throw Error("the JPEG XL encoder gave up");
}

/// Butteraugli distance of a quality on JPEG's scale: 1 at 90, as the library's own tool has it for 30 and more; below, ever
/// coarser up to its limit. Source: libjxl's public header encode.h, JxlEncoderDistanceFromQuality (from memory).
float distanceOf(int quality)
{
    if (quality >= 30)
        return 0.1f + float(100 - quality) * 0.09f;
    const float q = float(quality);
    return std::min(15.0f, 53.0f / 3000.0f * q * q - 23.0f / 20.0f * q + 25.0f);
}

void addBox(JxlEncoder *encoder, const char (&type)[5], const std::vector<std::byte> &content)
{
    check(
        JxlEncoderAddBox(encoder, type, reinterpret_cast<const uint8_t *>(content.data()), content.size(), JXL_FALSE));
}

} // namespace

std::vector<std::byte> encodeJxl(const StillPicture &picture, const uint16_t *codes)
{
    const std::unique_ptr<void, void (*)(void *)> runner(JxlThreadParallelRunnerCreate(nullptr, 2),
                                                         &JxlThreadParallelRunnerDestroy);
    const std::unique_ptr<JxlEncoder, void (*)(JxlEncoder *)> encoder(JxlEncoderCreate(nullptr), &JxlEncoderDestroy);
    if (!runner || !encoder)
        throw std::bad_alloc();
    check(JxlEncoderSetParallelRunner(encoder.get(), &JxlThreadParallelRunner, runner.get()));
    check(JxlEncoderUseBoxes(encoder.get()));
    const bool isLossless = picture.quality >= 100;
    constexpr int kPq = 16;
    const bool isPq = picture.codePoints.transfer == kPq;
    JxlBasicInfo info;
    JxlEncoderInitBasicInfo(&info);
    info.xsize = uint32_t(picture.width);
    info.ysize = uint32_t(picture.height);
    info.bits_per_sample = uint32_t(picture.bits);
    info.num_color_channels = 3;
    info.uses_original_profile = isLossless ? JXL_TRUE : JXL_FALSE;
    if (isPq)
        info.intensity_target = 10000.0f; // cd/m2 at the code 1
    check(JxlEncoderSetBasicInfo(encoder.get(), &info));
    if (isPq) {
        JxlColorEncoding colour{};
        colour.color_space = JXL_COLOR_SPACE_RGB;
        colour.white_point = JXL_WHITE_POINT_D65;
        colour.primaries = JXL_PRIMARIES_2100;
        colour.transfer_function = JXL_TRANSFER_FUNCTION_PQ;
        colour.rendering_intent = JXL_RENDERING_INTENT_RELATIVE;
        check(JxlEncoderSetColorEncoding(encoder.get(), &colour));
    } else {
        check(JxlEncoderSetICCProfile(encoder.get(), reinterpret_cast<const uint8_t *>(picture.profile.data()),
                                      picture.profile.size()));
    }
    if (!picture.exif.empty()) {
        std::vector<std::byte> box(4); // the offset of its TIFF stream, then that
        box.insert(box.end(), picture.exif.begin(), picture.exif.end());
        addBox(encoder.get(), "Exif", box);
    }
    if (!picture.xmp.empty()) {
        const auto *first = reinterpret_cast<const std::byte *>(picture.xmp.data());
        addBox(encoder.get(), "xml ", {first, first + picture.xmp.size()});
    }
    JxlEncoderCloseBoxes(encoder.get());
    JxlEncoderFrameSettings *settings = JxlEncoderFrameSettingsCreate(encoder.get(), nullptr);
    if (isLossless)
        check(JxlEncoderSetFrameLossless(settings, JXL_TRUE));
    else
        check(JxlEncoderSetFrameDistance(settings, distanceOf(picture.quality)));
    constexpr int kEffort = 4; // of 9; at 7 it takes four times as long for some 3 % fewer bytes
    check(JxlEncoderFrameSettingsSetOption(settings, JXL_ENC_FRAME_SETTING_EFFORT, kEffort));
    // The library takes codes of 16 bits whatever the depth of the file.
    const size_t samples = size_t(picture.width) * size_t(picture.height) * 3;
    const unsigned top = (1u << picture.bits) - 1;
    std::vector<uint16_t> wide(samples);
    for (size_t i = 0; i < samples; ++i)
        wide[i] = uint16_t((codes[i] * 65535u + top / 2) / top);
    const JxlPixelFormat format{3, JXL_TYPE_UINT16, JXL_NATIVE_ENDIAN, 0};
    check(JxlEncoderAddImageFrame(settings, &format, wide.data(), samples * sizeof(uint16_t)));
    JxlEncoderCloseInput(encoder.get());
    std::vector<std::byte> out(1 << 20);
    size_t used = 0;
    for (;;) {
        auto *next = reinterpret_cast<uint8_t *>(out.data()) + used;
        size_t room = out.size() - used;
        const JxlEncoderStatus status = JxlEncoderProcessOutput(encoder.get(), &next, &room);
        used = out.size() - room;
        if (status == JXL_ENC_SUCCESS)
            break;
        if (status != JXL_ENC_NEED_MORE_OUTPUT)
            check(status);
        out.resize(out.size() * 2);
    }
    out.resize(used);
    return out;
}

} // namespace yolk
