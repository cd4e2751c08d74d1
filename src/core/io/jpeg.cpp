#include "io/jpeg.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/codec.h"

#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <jpeglib.h>

#include <jerror.h> // after jpeglib.h, which it extends

namespace yolk {
namespace {

struct JpegFailure {
    std::string reason;
};

// libjpeg reports through callbacks; ours throw, and the C frames between are built with unwind tables on Linux.
[[noreturn]] void throwFailure(j_common_ptr info)
{
    char text[JMSG_LENGTH_MAX];
    info->err->format_message(info, text);
    throw JpegFailure{text};
}

// A cut or damaged stream is only a warning to libjpeg, which then paints grey; for a merge that is a failure.
void onMessage(j_common_ptr info, int level)
{
    if (level >= 0)
        return;
    switch (info->err->msg_code) {
    case JWRN_JPEG_EOF:
        throw JpegFailure{"the file ends too early"};
    case JWRN_HIT_MARKER:
    case JWRN_HUFF_BAD_CODE:
    case JWRN_BOGUS_PROGRESSION:
    case JWRN_MUST_RESYNC:
    case JWRN_ARITH_BAD_CODE:
        throw JpegFailure{"its picture data is damaged"};
    default:
        break; // harmless: stray bytes between markers and the like
    }
}

void setUp(jpeg_error_mgr &errors)
{
    jpeg_std_error(&errors);
    errors.error_exit = &throwFailure;
    errors.emit_message = &onMessage;
    errors.output_message = [](j_common_ptr) {};
}

class Reader {
public:
    explicit Reader(const std::string &path) : file_(std::fopen(path.c_str(), "rb"), &std::fclose)
    {
        if (!file_)
            throw InputError(path, std::strerror(errno));
        setUp(errors_);
        info.err = &errors_;
        jpeg_create_decompress(&info);
        jpeg_stdio_src(&info, file_.get());
        jpeg_save_markers(&info, JPEG_APP0 + 2, 0xFFFF);
    }
    ~Reader() { jpeg_destroy_decompress(&info); }
    Reader(const Reader &) = delete;
    Reader &operator=(const Reader &) = delete;

    void readHeader(const std::string &path)
    {
        jpeg_read_header(&info, TRUE);
        checkSize(path, info.image_width, info.image_height);
        if (info.jpeg_color_space == JCS_CMYK || info.jpeg_color_space == JCS_YCCK)
            throw JpegFailure{"is a CMYK JPEG; convert it to RGB"};
        info.out_color_space = info.num_components == 1 ? JCS_GRAYSCALE : JCS_RGB;
    }

    jpeg_decompress_struct info{};

private:
    std::unique_ptr<FILE, int (*)(FILE *)> file_;
    jpeg_error_mgr errors_{};
};

bool recognises(std::span<const std::byte> head, const std::string &)
{
    return head.size() >= 3 && head[0] == std::byte{0xFF} && head[1] == std::byte{0xD8} && head[2] == std::byte{0xFF};
}

/// The mean square error of green against the quantisers of the lowest frequencies, as rounding makes it: fitted to seven
/// colourful dead-leaves scenes at qualities 80 to 98 with halved chroma; paler ones err by some 0.7 of that deviation.
double codingVarianceOf(const jpeg_decompress_struct &info)
{
    const int named = info.comp_info ? info.comp_info[0].quant_tbl_no : -1; // of a damaged file: anything
    const JQUANT_TBL *table = named >= 0 && named < NUM_QUANT_TBLS ? info.quant_tbl_ptrs[named] : nullptr;
    if (!table)
        return 1.0;
    double sum = 0.0, count = 0.0;
    constexpr int kLowest = 4; // horizontal plus vertical frequency
    for (int v = 0; v < kLowest; ++v)
        for (int u = 0; u + v < kLowest; ++u)
            if (u + v > 0) {
                const double q = table->quantval[8 * v + u];
                sum += q * q / 12.0;
                count += 1.0;
            }
    return 0.9 + 3.0 * std::sqrt(sum / count);
}

PictureInfo readInfo(const std::string &path)
{
    Reader reader(path);
    try {
        reader.readHeader(path);
        PictureInfo out;
        out.width = int(reader.info.image_width);
        out.height = int(reader.info.image_height);
        out.channels = reader.info.num_components == 1 ? 1 : 3;
        out.codingVariance = codingVarianceOf(reader.info);
        JOCTET *profile = nullptr;
        unsigned size = 0;
        if (jpeg_read_icc_profile(&reader.info, &profile, &size)) {
            const std::unique_ptr<JOCTET, void (*)(void *)> owner(profile, &std::free);
            const auto *bytes = reinterpret_cast<const std::byte *>(profile);
            out.profile.assign(bytes, bytes + size);
        }
        return out;
    } catch (const JpegFailure &failure) {
        throw InputError(path, failure.reason);
    }
}

void readRows(const std::string &path, int reduction, const RawOptions &, const RowSink &sink, ExecContext &)
{
    Reader reader(path);
    jpeg_decompress_struct &info = reader.info;
    try {
        reader.readHeader(path);
        info.scale_num = 1;
        info.scale_denom = unsigned(reduction);
        info.dct_method = JDCT_ISLOW;
        jpeg_start_decompress(&info);
        std::vector<uint8_t> row(size_t(info.output_width) * size_t(info.output_components));
        for (int y = 0; info.output_scanline < info.output_height; ++y) {
            JSAMPROW rows[1] = {row.data()};
            jpeg_read_scanlines(&info, rows, 1);
            sink(y, {.eight = row, .sixteen = {}});
        }
        jpeg_finish_decompress(&info);
    } catch (const JpegFailure &failure) {
        throw InputError(path, failure.reason);
    }
}

} // namespace

// libjpeg-turbo scales by 1/2, 1/4 and 1/8 inside its inverse transform.
extern const Codec kJpegCodec{"JPEG", &recognises, &readInfo, [](int reduction) { return std::min(reduction, 8); },
                              &readRows};

namespace {

/// Throws ArgumentError, JpegFailure.
void writeTo(FILE *file, int width, int height, int quality, std::span<const std::byte> profile, const FillRow8 &fill,
             JpegChroma chroma)
{
    if (width < 1 || height < 1 || width > 65500 || height > 65500)
        throw ArgumentError(textOf("JPEG of %d x %d pixels: sides must lie in 1 to 65500", width, height));
    if (quality < 1 || quality > 100)
        throw ArgumentError(textOf("JPEG quality %d: must lie in 1 to 100", quality));
    struct Writer {
        jpeg_error_mgr errors{};
        jpeg_compress_struct info{};
        Writer()
        {
            setUp(errors);
            info.err = &errors;
            jpeg_create_compress(&info);
        }
        ~Writer() { jpeg_destroy_compress(&info); }
    } writer;
    jpeg_compress_struct &info = writer.info;
    jpeg_stdio_dest(&info, file);
    info.image_width = unsigned(width);
    info.image_height = unsigned(height);
    info.input_components = 3;
    info.in_color_space = JCS_RGB;
    jpeg_set_defaults(&info);
    jpeg_set_quality(&info, quality, TRUE);
    info.optimize_coding = TRUE;
    if (chroma == JpegChroma::Full || (chroma == JpegChroma::Automatic && quality >= 90))
        info.comp_info[0].h_samp_factor = info.comp_info[0].v_samp_factor = 1;
    jpeg_start_compress(&info, TRUE);
    if (!profile.empty())
        jpeg_write_icc_profile(&info, reinterpret_cast<const JOCTET *>(profile.data()), unsigned(profile.size()));
    std::vector<uint8_t> row(size_t(width) * 3);
    for (int y = 0; y < height; ++y) {
        fill(y, row);
        JSAMPROW rows[1] = {row.data()};
        jpeg_write_scanlines(&info, rows, 1);
    }
    jpeg_finish_compress(&info);
}

} // namespace

void writeJpeg(const std::string &path, int width, int height, int quality, std::span<const std::byte> profile,
               const FillRow8 &fill, JpegChroma chroma)
{
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "wb"), &std::fclose);
    if (!file)
        throw OutputError(path, std::strerror(errno));
    try {
        writeTo(file.get(), width, height, quality, profile, fill, chroma);
    } catch (const JpegFailure &failure) {
        throw OutputError(path, failure.reason);
    }
    if (std::fflush(file.get()) != 0)
        throw OutputError(path, std::strerror(errno));
}

std::vector<std::byte> encodeJpeg(int width, int height, int quality, std::span<const std::byte> profile,
                                  const FillRow8 &fill, JpegChroma chroma)
{
    char *memory = nullptr;
    size_t size = 0;
    std::unique_ptr<FILE, int (*)(FILE *)> file(open_memstream(&memory, &size), &std::fclose);
    if (!file)
        throw std::bad_alloc();
    const auto ended = [&] {
        file.reset(); // only then is the memory whole
        return std::unique_ptr<char, void (*)(void *)>(memory, &std::free);
    };
    try {
        writeTo(file.get(), width, height, quality, profile, fill, chroma);
    } catch (const JpegFailure &failure) {
        ended();
        throw Error(failure.reason);
    } catch (...) {
        ended();
        throw;
    }
    const auto owner = ended();
    const auto *first = reinterpret_cast<const std::byte *>(owner.get());
    return {first, first + size};
}

} // namespace yolk
