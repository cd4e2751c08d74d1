// HEIF and AVIF stills through libheif.
#include "base/errors.h"
#include "base/text.h"
#include "colour/icc.h"
#include "io/codec.h"
#include "io/quiet_p.h"

#include <libheif/heif.h>

#include <algorithm>
#include <cstring>
#include <memory>
#include <optional>

namespace yolk {
namespace {

/// What lossy coding makes of a code of 8 bits, squared: about a JPEG of quality 95. These files do not say how coarsely
/// they were quantised; of more bits it is the same light.
constexpr double kCodingVariance = 1.5;

void check(const std::string &path, const heif_error &error)
{
    if (error.code == heif_error_Ok)
        return;
    std::string words = error.message ? error.message : "unknown damage";
    std::ranges::replace(words, '\n', ' ');
    throw InputError(path, error.code == heif_error_Unsupported_filetype || error.code == heif_error_Unsupported_feature
                               ? "is a HEIF file of a kind that cannot be read (" + words + ")"
                               : "is damaged or cut off (" + words + ")");
}

class File {
public:
    explicit File(const std::string &path)
        : path_(path), context_(heif_context_alloc(), &heif_context_free), handle_(nullptr, &heif_image_handle_release)
    {
        check(path, heif_context_read_from_file(context_.get(), path.c_str(), nullptr));
        heif_image_handle *handle = nullptr;
        check(path, heif_context_get_primary_image_handle(context_.get(), &handle));
        handle_.reset(handle);
    }

    PictureInfo info() const
    {
        PictureInfo out;
        out.width = heif_image_handle_get_width(handle_.get()); // as it stands upright
        out.height = heif_image_handle_get_height(handle_.get());
        checkSize(path_, out.width, out.height);
        out.bits = storedBits() > 8 ? 16 : 8;
        out.isUpright = true;
        const double top = out.bits == 8 ? 1.0 : 65535.0 / 255.0;
        out.codingVariance = kCodingVariance * top * top;
        out.profile = profile();
        return out;
    }

    /// Of a sample in the file.
    int storedBits() const
    {
        const int bits = heif_image_handle_get_luma_bits_per_pixel(handle_.get());
        if (bits < 1 || bits > 16)
            throw InputError(path_, textOf("says that its samples have %d bits", bits));
        return bits;
    }

    std::unique_ptr<heif_image, void (*)(const heif_image *)> decoded() const
    {
        heif_image *image = nullptr;
        const auto layout = storedBits() > 8 ? heif_chroma_interleaved_RRGGBB_LE : heif_chroma_interleaved_RGB;
        check(path_, heif_decode_image(handle_.get(), &image, heif_colorspace_RGB, layout, nullptr));
        return {image, &heif_image_release};
    }

private:
    std::vector<std::byte> profile() const
    {
        const auto kind = heif_image_handle_get_color_profile_type(handle_.get());
        if (kind == heif_color_profile_type_rICC || kind == heif_color_profile_type_prof) {
            std::vector<std::byte> out(heif_image_handle_get_raw_color_profile_size(handle_.get()));
            check(path_, heif_image_handle_get_raw_color_profile(handle_.get(), out.data()));
            return out;
        }
        heif_color_profile_nclx *named = nullptr;
        if (kind != heif_color_profile_type_nclx ||
            heif_image_handle_get_nclx_color_profile(handle_.get(), &named).code != heif_error_Ok)
            return {};
        const std::unique_ptr<heif_color_profile_nclx, void (*)(heif_color_profile_nclx *)> owner(
            named, &heif_nclx_color_profile_free);
        return iccProfileOf(*named);
    }

    std::vector<std::byte> iccProfileOf(const heif_color_profile_nclx &named) const
    {
        const auto xy = [](float x, float y) { return Chromaticity{double(x), double(y)}; };
        Primaries primaries{xy(named.color_primary_red_x, named.color_primary_red_y),
                            xy(named.color_primary_green_x, named.color_primary_green_y),
                            xy(named.color_primary_blue_x, named.color_primary_blue_y),
                            xy(named.color_primary_white_x, named.color_primary_white_y)};
        if (named.color_primaries == heif_color_primaries_unspecified || !(primaries.white.y > 0.0))
            primaries = kRec709;
        Transfer transfer = Transfer::Srgb;
        switch (named.transfer_characteristics) { // [H273] table 3
        case heif_transfer_characteristic_ITU_R_BT_709_5:
        case heif_transfer_characteristic_ITU_R_BT_601_6:
        case heif_transfer_characteristic_ITU_R_BT_2020_2_10bit:
        case heif_transfer_characteristic_ITU_R_BT_2020_2_12bit:
            transfer = Transfer::Rec709;
            break;
        case heif_transfer_characteristic_linear:
            transfer = Transfer::Linear;
            break;
        case heif_transfer_characteristic_ITU_R_BT_2100_0_PQ:
        case heif_transfer_characteristic_ITU_R_BT_2100_0_HLG:
            throw InputError(path_, "is a finished picture for HDR screens (PQ or HLG), not a frame of a camera");
        default:
            break;
        }
        return iccProfile(primaries, transfer, "as the file names it");
    }

    const std::string &path_;
    std::unique_ptr<heif_context, void (*)(heif_context *)> context_;
    std::unique_ptr<heif_image_handle, void (*)(const heif_image_handle *)> handle_;
};

bool recognises(std::span<const std::byte> head, const std::string &)
{
    if (head.size() < 12 || std::memcmp(head.data() + 4, "ftyp", 4) != 0)
        return false;
    constexpr const char *kBrands[] = {"heic", "heix", "heim", "heis", "hevc", "mif1", "mif2", "msf1", "avif", "avis"};
    return std::ranges::any_of(kBrands, [&](const char *brand) { return std::memcmp(head.data() + 8, brand, 4) == 0; });
}

PictureInfo readInfo(const std::string &path)
{
    const Quiet quiet;
    return File(path).info();
}

void readRows(const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &ctx)
{
    auto quiet = std::make_optional<Quiet>();
    const File file(path);
    const PictureInfo info = file.info();
    const auto image = file.decoded();
    quiet.reset();
    ctx.throwIfStopped();
    int stride = 0;
    const uint8_t *pixels = heif_image_get_plane_readonly(image.get(), heif_channel_interleaved, &stride);
    if (!pixels || heif_image_get_width(image.get(), heif_channel_interleaved) != info.width ||
        heif_image_get_height(image.get(), heif_channel_interleaved) != info.height)
        throw InputError(path, "has pixels of another size than it says");
    const size_t samples = size_t(info.width) * 3;
    const int bits = heif_image_get_bits_per_pixel_range(image.get(), heif_channel_interleaved);
    const unsigned top = (1u << std::clamp(bits, 1, 16)) - 1;
    std::vector<uint16_t> wide(info.bits == 16 ? samples : 0);
    for (int y = 0; y < info.height; ++y) {
        const uint8_t *row = pixels + ptrdiff_t(y) * stride;
        if (info.bits == 8) {
            sink(y, {.eight = {row, samples}});
            continue;
        }
        std::memcpy(wide.data(), row, samples * 2);
        for (uint16_t &code : wide)
            code = uint16_t((std::min<unsigned>(code, top) * 65535u + top / 2) / top);
        sink(y, {.sixteen = wide});
    }
}

} // namespace

extern const Codec kHeifCodec{"HEIF", &recognises, &readInfo, [](int) { return 1; }, &readRows};

} // namespace yolk
