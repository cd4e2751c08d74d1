#include "io/tiff.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/codec.h"
#include "io/tiff_p.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fcntl.h>
#include <unistd.h>

namespace yolk {
namespace {

Tiff openToRead(const std::string &path)
{
    Tiff tiff = openTiff(path, "rm"); // m: no memory map, so a cut file cannot fault
    if (!tiff)
        throw InputError(path, "is a damaged TIFF");
    return tiff;
}

template <class T> T tagOf(TIFF *tiff, uint32_t tag)
{
    T value{};
    TIFFGetFieldDefaulted(tiff, tag, &value);
    return value;
}

bool recognises(std::span<const std::byte> head, const std::string &)
{
    const auto is = [&](const char(&magic)[5]) { return head.size() >= 4 && std::memcmp(head.data(), magic, 4) == 0; };
    return is("II\x2a\0") || is("MM\0\x2a") || is("II\x2b\0") || is("MM\0\x2b");
}

/// What is delivered, and how many interleaved samples a stored pixel has (alpha and more are dropped).
struct Layout {
    PictureInfo info;
    int storedSamples = 3;
    bool whiteIsZero = false;
    float gain = 1.0f; ///< of floating point: what a DNG was divided by
};

/// Primaries of a linear DNG, by its matrix from XYZ under the white that it names. Throws InputError.
Primaries primariesOf(TIFF *tiff, const std::string &path)
{
    uint32_t count = 0;
    const float *values = nullptr;
    Matrix3 fromXyz;
    if (!TIFFGetField(tiff, TIFFTAG_COLORMATRIX1, &count, &values) || count != 9)
        throw InputError(path, "is a DNG that does not say what its colours are");
    std::copy_n(values, 9, fromXyz.m.begin());
    Matrix3 toXyz;
    try {
        toXyz = inverse(fromXyz);
    } catch (const ArgumentError &) {
        throw InputError(path, "is a DNG with colours that cannot be");
    }
    const auto xyOf = [&](const Vector3 &rgb) {
        const Vector3 xyz = toXyz * rgb;
        const double sum = xyz[0] + xyz[1] + xyz[2];
        if (!(sum > 1e-9))
            throw InputError(path, "is a DNG with colours that cannot be");
        return Chromaticity{xyz[0] / sum, xyz[1] / sum};
    };
    return {xyOf({1, 0, 0}), xyOf({0, 1, 0}), xyOf({0, 0, 1}), xyOf({1, 1, 1})};
}

Layout layoutOf(TIFF *tiff, const std::string &path)
{
    const auto width = tagOf<uint32_t>(tiff, TIFFTAG_IMAGEWIDTH), height = tagOf<uint32_t>(tiff, TIFFTAG_IMAGELENGTH);
    checkSize(path, width, height);
    const int bits = tagOf<uint16_t>(tiff, TIFFTAG_BITSPERSAMPLE),
              samples = tagOf<uint16_t>(tiff, TIFFTAG_SAMPLESPERPIXEL);
    const auto sampleFormat = tagOf<uint16_t>(tiff, TIFFTAG_SAMPLEFORMAT);
    const bool real = sampleFormat == SAMPLEFORMAT_IEEEFP && bits == 32;
    if (!real && (sampleFormat != SAMPLEFORMAT_UINT || (bits != 8 && bits != 16)))
        throw InputError(path, textOf("is a TIFF of %d bits that cannot be read (8 or 16 bit integers and 32 bit "
                                      "floating point can)",
                                      bits));
    uint16_t photometric = 0;
    if (!TIFFGetField(tiff, TIFFTAG_PHOTOMETRIC, &photometric))
        throw InputError(path, "is a TIFF that does not say what its samples mean");
    const bool grey = photometric == PHOTOMETRIC_MINISBLACK || photometric == PHOTOMETRIC_MINISWHITE;
    const auto compression = tagOf<uint16_t>(tiff, TIFFTAG_COMPRESSION);
    if (photometric == PHOTOMETRIC_YCBCR && compression == COMPRESSION_JPEG)
        TIFFSetField(tiff, TIFFTAG_JPEGCOLORMODE, JPEGCOLORMODE_RGB); // libjpeg converts
    else if (!grey && photometric != PHOTOMETRIC_RGB && !isLinearFloatDng(tiff))
        throw InputError(path, "is a TIFF that is neither RGB nor grey; convert it to RGB");
    if (samples < (grey ? 1 : 3) || samples > 16)
        throw InputError(path, textOf("is a TIFF with %d samples a pixel", samples));
    if (samples > 1 && tagOf<uint16_t>(tiff, TIFFTAG_PLANARCONFIG) != PLANARCONFIG_CONTIG)
        throw InputError(path, "is a TIFF with separate planes; save it interleaved");
    if (!TIFFIsCODECConfigured(compression))
        throw InputError(path, "is a TIFF with a compression that cannot be read");
    Layout out;
    out.info = {int(width), int(height), grey ? 1 : 3, bits, {}};
    out.storedSamples = samples;
    out.whiteIsZero = photometric == PHOTOMETRIC_MINISWHITE;
    if (real && out.whiteIsZero)
        throw InputError(path, "is a floating point TIFF in which 0 is white");
    if (isLinearFloatDng(tiff)) {
        out.info.primaries = primariesOf(tiff, path);
        float stops = 0.0f;
        if (TIFFGetField(tiff, TIFFTAG_BASELINEEXPOSURE, &stops) && std::abs(stops) < 40.0f)
            out.gain = std::exp2(stops);
    }
    uint32_t size = 0;
    const void *profile = nullptr;
    if (TIFFGetField(tiff, TIFFTAG_ICCPROFILE, &size, &profile)) {
        const auto *bytes = static_cast<const std::byte *>(profile);
        out.info.profile.assign(bytes, bytes + size);
    }
    return out;
}

PictureInfo readInfo(const std::string &path)
{
    return layoutOf(openToRead(path).get(), path).info;
}

/// Hands out stored rows in order from strips or tiles.
class RowSource {
public:
    RowSource(TIFF *tiff, const Layout &layout, const std::string &path) : tiff_(tiff), path_(path)
    {
        const size_t pixelBytes = size_t(layout.storedSamples) * size_t(layout.info.bits) / 8;
        rowBytes_ = size_t(layout.info.width) * pixelBytes;
        if (TIFFIsTiled(tiff)) {
            tileWidth_ = tagOf<uint32_t>(tiff, TIFFTAG_TILEWIDTH);
            tileHeight_ = tagOf<uint32_t>(tiff, TIFFTAG_TILELENGTH);
            const size_t tileBytes = size_t(tileWidth_) * tileHeight_ * pixelBytes;
            // A tile may be larger than the picture, but not absurdly so.
            if (tileWidth_ == 0 || tileHeight_ == 0 || tileBytes > (size_t(1) << 30) ||
                size_t(TIFFTileSize(tiff)) != tileBytes)
                throw InputError(path, "is a TIFF with tiles of an impossible size");
            tile_.resize(tileBytes);
            rows_.resize(rowBytes_ * tileHeight_);
        } else {
            if (size_t(TIFFScanlineSize(tiff)) != rowBytes_)
                throw InputError(path, "is a TIFF with rows of an impossible size");
            rows_.resize(rowBytes_);
        }
    }
    const std::byte *row(int y)
    {
        if (tileHeight_ == 0) {
            if (TIFFReadScanline(tiff_, rows_.data(), uint32_t(y)) < 0)
                fail();
            return rows_.data();
        }
        const size_t inTile = size_t(y) % tileHeight_;
        if (inTile == 0)
            readTileRow(uint32_t(y));
        return rows_.data() + inTile * rowBytes_;
    }

private:
    [[noreturn]] void fail() const { throw InputError(path_, "its picture data is cut off or damaged"); }
    void readTileRow(uint32_t y)
    {
        const size_t tileRowBytes = tile_.size() / tileHeight_;
        for (size_t x = 0, at = 0; at < rowBytes_; x += tileWidth_, at += tileRowBytes) {
            if (TIFFReadTile(tiff_, tile_.data(), uint32_t(x), y, 0, 0) < 0)
                fail();
            const size_t used = std::min(tileRowBytes, rowBytes_ - at);
            for (size_t line = 0; line < tileHeight_; ++line)
                std::memcpy(rows_.data() + line * rowBytes_ + at, tile_.data() + line * tileRowBytes, used);
        }
    }

    TIFF *tiff_;
    const std::string &path_;
    uint32_t tileWidth_ = 0, tileHeight_ = 0;
    size_t rowBytes_ = 0;
    std::vector<std::byte> tile_, rows_;
};

template <class T>
void deliver(RowSource &source, const Layout &layout, const std::function<void(int, std::span<const T>)> &sink)
{
    const size_t channels = size_t(layout.info.channels), stored = size_t(layout.storedSamples);
    const size_t width = size_t(layout.info.width);
    std::vector<T> row(width * channels);
    for (int y = 0; y < layout.info.height; ++y) {
        const auto *in = reinterpret_cast<const T *>(source.row(y));
        for (size_t x = 0; x < width; ++x)
            for (size_t c = 0; c < channels; ++c)
                if constexpr (std::is_integral_v<T>)
                    row[x * channels + c] = layout.whiteIsZero ? T(~in[x * stored + c]) : in[x * stored + c];
                else
                    row[x * channels + c] = in[x * stored + c] * layout.gain;
        sink(y, row);
    }
}

void readRows(const std::string &path, int, const RawOptions &, const RowSink &sink, ExecContext &)
{
    const Tiff tiff = openToRead(path);
    const Layout layout = layoutOf(tiff.get(), path);
    RowSource source(tiff.get(), layout, path);
    if (layout.info.bits == 8)
        deliver<uint8_t>(source, layout, [&](int y, std::span<const uint8_t> row) { sink(y, {.eight = row}); });
    else if (layout.info.bits == 16)
        deliver<uint16_t>(source, layout, [&](int y, std::span<const uint16_t> row) { sink(y, {.sixteen = row}); });
    else
        deliver<float>(source, layout, [&](int y, std::span<const float> row) { sink(y, {.real = row}); });
}

} // namespace

extern const Codec kTiffCodec{"TIFF", &recognises, &readInfo, [](int) { return 1; }, &readRows};

bool isLinearFloatDng(TIFF *tiff)
{
    const uint8_t *version = nullptr;
    uint16_t photometric = 0;
    return TIFFGetField(tiff, TIFFTAG_DNGVERSION, &version) &&
           TIFFGetField(tiff, TIFFTAG_PHOTOMETRIC, &photometric) && photometric == kLinearRaw &&
           tagOf<uint16_t>(tiff, TIFFTAG_SAMPLEFORMAT) == SAMPLEFORMAT_IEEEFP;
}

Tiff openTiff(const std::string &path, const char *mode)
{
    static const bool silenced = [] {
        TIFFSetErrorHandler(nullptr);
        TIFFSetWarningHandler(nullptr);
        return true;
    }();
    static_cast<void>(silenced);
    return Tiff(TIFFOpen(path.c_str(), mode), &TIFFClose);
}

namespace {

template <class T>
void writeRows(const std::string &path, int width, int height, std::span<const std::byte> profile,
               const std::function<void(int y, std::span<T> row)> &fill, Alpha alpha = Alpha::None)
{
    if (width < 1 || height < 1)
        throw ArgumentError(textOf("TIFF of %d x %d pixels: sides must be at least 1", width, height));
    // Classic TIFF ends at 4 GiB; deflate seldom grows, so the raw size decides.
    const int samples = alpha == Alpha::None ? 3 : 4;
    const bool big = double(width) * height * samples * sizeof(T) > 4.0e9;
    constexpr bool kReal = std::is_floating_point_v<T>;
    bool written = false;
    {
        const Tiff tiff = openTiff(path, big ? "w8" : "w");
        if (!tiff)
            throw OutputError(path, "cannot be written");
        TIFFSetField(tiff.get(), TIFFTAG_IMAGEWIDTH, width);
        TIFFSetField(tiff.get(), TIFFTAG_IMAGELENGTH, height);
        TIFFSetField(tiff.get(), TIFFTAG_SAMPLESPERPIXEL, samples);
        if (alpha == Alpha::Unassociated) {
            const uint16_t kind = EXTRASAMPLE_UNASSALPHA;
            TIFFSetField(tiff.get(), TIFFTAG_EXTRASAMPLES, 1, &kind);
        }
        TIFFSetField(tiff.get(), TIFFTAG_BITSPERSAMPLE, int(8 * sizeof(T)));
        TIFFSetField(tiff.get(), TIFFTAG_SAMPLEFORMAT, kReal ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
        TIFFSetField(tiff.get(), TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
        TIFFSetField(tiff.get(), TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        TIFFSetField(tiff.get(), TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
        constexpr double kUsualPerInch = 300.0; // setResolution() knows better
        TIFFSetField(tiff.get(), TIFFTAG_XRESOLUTION, kUsualPerInch);
        TIFFSetField(tiff.get(), TIFFTAG_YRESOLUTION, kUsualPerInch);
        TIFFSetField(tiff.get(), TIFFTAG_RESOLUTIONUNIT, RESUNIT_INCH);
        TIFFSetField(tiff.get(), TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
        TIFFSetField(tiff.get(), TIFFTAG_PREDICTOR, kReal ? PREDICTOR_FLOATINGPOINT : PREDICTOR_HORIZONTAL);
        TIFFSetField(tiff.get(), TIFFTAG_ZIPQUALITY, 3); // a third of the time of 6 for some 3 % more bytes
        TIFFSetField(tiff.get(), TIFFTAG_ROWSPERSTRIP, kReal ? 16 : kBandRows);
        if (!profile.empty())
            TIFFSetField(tiff.get(), TIFFTAG_ICCPROFILE, uint32_t(profile.size()), profile.data());
        std::vector<T> row(size_t(width) * size_t(samples));
        written = true;
        for (int y = 0; y < height && written; ++y) {
            fill(y, row);
            written = TIFFWriteScanline(tiff.get(), row.data(), uint32_t(y)) >= 0;
        }
        written = written && TIFFFlush(tiff.get());
    }
    if (!written)
        throw OutputError(path, "could not be written whole; is the disk full?");
}

} // namespace

void writeTiff(const std::string &path, int width, int height, std::span<const std::byte> profile,
               const FillRow16 &fill, Alpha alpha)
{
    writeRows<uint16_t>(path, width, height, profile, fill, alpha);
}

void writeTiff8(const std::string &path, int width, int height, std::span<const std::byte> profile,
                const FillRow16 &fill, Alpha alpha)
{
    std::vector<uint16_t> codes(size_t(std::max(0, width)) * (alpha == Alpha::None ? 3 : 4));
    writeRows<uint8_t>(
        path, width, height, profile,
        [&](int y, std::span<uint8_t> row) {
            fill(y, codes);
            std::ranges::copy(codes, row.begin());
        },
        alpha);
}

void writeRadianceTiff(const std::string &path, int width, int height, std::span<const std::byte> profile,
                       const FillRowReal &fill)
{
    writeRows<float>(path, width, height, profile, fill);
}


void setResolution(const std::string &path, double pixelsPerInch)
{
    const Tiff tiff = openTiff(path, "r+");
    if (!tiff || !TIFFSetField(tiff.get(), TIFFTAG_XRESOLUTION, pixelsPerInch) ||
        !TIFFSetField(tiff.get(), TIFFTAG_YRESOLUTION, pixelsPerInch) || !TIFFRewriteDirectory(tiff.get()))
        throw OutputError(path, "its resolution could not be written; is the disk full?");
}

} // namespace yolk
