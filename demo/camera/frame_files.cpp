#include "simulated_camera.h"

#include "base/errors.h"
#include "colour/icc.h"
#include "colour/transfer.h"
#include "io/atomic_file.h"
#include "io/tiff.h"

#include <exiv2/exiv2.hpp>
#include <tiffio.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <vector>

namespace yolk::demo {
namespace {

constexpr const char *kMake = "Coop", *kModel = "Coop Pinhole 1";
constexpr int kFocalLength = 28;

void writeExif(const std::string &path, const Shot &shot)
{
    const auto image = Exiv2::ImageFactory::open(path);
    image->readMetadata();
    Exiv2::ExifData &exif = image->exifData();
    exif["Exif.Image.Make"] = kMake;
    exif["Exif.Image.Model"] = kModel;
    exif["Exif.Image.Orientation"] = uint16_t(1);
    exif["Exif.Photo.DateTimeOriginal"] = shot.dateTime;
    exif["Exif.Photo.FocalLength"] = Exiv2::URational(kFocalLength, 1);
    if (!shot.tellsExposure) {
        for (const char *key : {"Exif.Photo.ExposureTime", "Exif.Photo.FNumber", "Exif.Photo.ISOSpeedRatings"})
            if (const auto found = exif.findKey(Exiv2::ExifKey(key)); found != exif.end())
                exif.erase(found);
        image->writeMetadata();
        return;
    }
    exif["Exif.Photo.ExposureTime"] = shot.exposureSeconds < 0.3
                                          ? Exiv2::URational(1, uint32_t(std::lround(1.0 / shot.exposureSeconds)))
                                          : Exiv2::URational(uint32_t(std::lround(shot.exposureSeconds * 10.0)), 10);
    exif["Exif.Photo.FNumber"] = Exiv2::URational(uint32_t(std::lround(shot.fNumber * 10.0)), 10);
    exif["Exif.Photo.ISOSpeedRatings"] = uint16_t(shot.iso);
    image->writeMetadata();
}

/// A row of 14-bit values, most significant bit first; the last byte is filled with zeros.
void packRow(const uint16_t *values, int count, std::vector<uint8_t> &out)
{
    out.assign((size_t(count) * kSensorBits + 7) / 8, 0);
    size_t at = 0;
    uint32_t held = 0;
    int bits = 0;
    for (int x = 0; x < count; ++x) {
        held = (held << kSensorBits) | values[x];
        bits += kSensorBits;
        for (; bits >= 8; bits -= 8)
            out[at++] = uint8_t(held >> (bits - 8));
    }
    if (bits > 0)
        out[at] = uint8_t(held << (8 - bits));
}

/// Tags and pixels of the one picture in the file. Source: [DNG1.4].
bool writePicture(TIFF *tiff, ImageView<const uint16_t> mosaic, const Shot &shot)
{
    const std::array<float, 4> black = {kBlack, kBlack, kBlack, kBlack};
    const std::array<uint16_t, 2> repeat = {2, 2};
    const std::array<uint8_t, 4> version = {1, 4, 0, 0}, backward = {1, 1, 0, 0}, pattern = {0, 1, 1, 2};
    const uint32_t white = kWhite;
    std::array<float, 9> matrix;
    std::ranges::transform(cameraOfXyz().m, matrix.begin(), [](double v) { return float(v); });
    const std::array<float, 3> neutral = {float(kNeutral[0]), float(kNeutral[1]), float(kNeutral[2])};
    TIFFSetField(tiff, TIFFTAG_SUBFILETYPE, 0);
    TIFFSetField(tiff, TIFFTAG_IMAGEWIDTH, mosaic.width());
    TIFFSetField(tiff, TIFFTAG_IMAGELENGTH, mosaic.height());
    TIFFSetField(tiff, TIFFTAG_BITSPERSAMPLE, kSensorBits);
    TIFFSetField(tiff, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(tiff, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_CFA);
    TIFFSetField(tiff, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(tiff, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tiff, TIFFTAG_FILLORDER, FILLORDER_MSB2LSB);
    TIFFSetField(tiff, TIFFTAG_ROWSPERSTRIP, mosaic.height());
    TIFFSetField(tiff, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(tiff, TIFFTAG_MAKE, kMake);
    TIFFSetField(tiff, TIFFTAG_MODEL, kModel);
    TIFFSetField(tiff, TIFFTAG_DATETIME, shot.dateTime.c_str());
    TIFFSetField(tiff, TIFFTAG_DNGVERSION, version.data());
    TIFFSetField(tiff, TIFFTAG_DNGBACKWARDVERSION, backward.data());
    TIFFSetField(tiff, TIFFTAG_UNIQUECAMERAMODEL, kModel);
    TIFFSetField(tiff, TIFFTAG_CFAREPEATPATTERNDIM, repeat.data());
    TIFFSetField(tiff, TIFFTAG_CFAPATTERN, 4, pattern.data());
    TIFFSetField(tiff, TIFFTAG_CFAPLANECOLOR, 3, std::array<uint8_t, 3>{0, 1, 2}.data());
    TIFFSetField(tiff, TIFFTAG_CFALAYOUT, 1);
    TIFFSetField(tiff, TIFFTAG_BLACKLEVELREPEATDIM, repeat.data());
    TIFFSetField(tiff, TIFFTAG_BLACKLEVEL, 4, black.data());
    TIFFSetField(tiff, TIFFTAG_WHITELEVEL, 1, &white);
    TIFFSetField(tiff, TIFFTAG_CALIBRATIONILLUMINANT1, 21); // D65
    TIFFSetField(tiff, TIFFTAG_COLORMATRIX1, 9, matrix.data());
    TIFFSetField(tiff, TIFFTAG_ASSHOTNEUTRAL, 3, neutral.data());
    std::vector<uint8_t> row;
    for (int y = 0; y < mosaic.height(); ++y) {
        packRow(mosaic.row(0, y), mosaic.width(), row);
        if (TIFFWriteScanline(tiff, row.data(), uint32_t(y)) < 0)
            return false;
    }
    return TIFFWriteDirectory(tiff);
}

/// The Exif directory, then its place into the first directory: in this order libtiff writes a file that is whole.
bool writeExifDirectory(TIFF *tiff, const Shot &shot)
{
    const auto iso = uint16_t(shot.iso);
    uint64_t offset = 0;
    if (TIFFCreateEXIFDirectory(tiff) != 0)
        return false;
    TIFFSetField(tiff, EXIFTAG_EXPOSURETIME, shot.exposureSeconds);
    TIFFSetField(tiff, EXIFTAG_FNUMBER, shot.fNumber);
    TIFFSetField(tiff, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
    TIFFSetField(tiff, EXIFTAG_DATETIMEORIGINAL, shot.dateTime.c_str());
    TIFFSetField(tiff, EXIFTAG_FOCALLENGTH, double(kFocalLength));
    return TIFFWriteCustomDirectory(tiff, &offset) && TIFFSetDirectory(tiff, 0) &&
           TIFFSetField(tiff, TIFFTAG_EXIFIFD, offset) && TIFFRewriteDirectory(tiff);
}

} // namespace

double cameraShoulder(double z, double s)
{
    return z * (1.0 + s) / (1.0 + s * z);
}

void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind,
                double shoulder)
{
    writeFrame(path, linear, shot, kind,
               {.code = [shoulder](double z, int) { return encodeSrgb(cameraShoulder(z, shoulder)); }});
}

void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind,
                const Development &development)
{
    const std::vector<std::byte> profile = iccProfile(OutputSpace::Srgb);
    const auto codeAt = [&](int x, int y, int c, double top) {
        const double z = std::clamp(double(linear.row(c, y)[x]), 0.0, 1.0);
        const double code = development.code ? development.code(z, c) : encodeSrgb(z);
        return std::lround(std::clamp(code, 0.0, 1.0) * top);
    };
    writeAtomically(path, [&](const std::string &temporary) {
        if (kind == FrameFile::Jpeg)
            writeJpeg(
                temporary, linear.width(), linear.height(), development.quality, profile,
                [&](int y, std::span<uint8_t> row) {
                    for (size_t i = 0; i < row.size(); ++i)
                        row[i] = uint8_t(codeAt(int(i / 3), y, int(i % 3), 255.0));
                },
                development.halvedChroma ? JpegChroma::Halved : JpegChroma::Full);
        else
            writeTiff(temporary, linear.width(), linear.height(), profile, [&](int y, std::span<uint16_t> row) {
                for (size_t i = 0; i < row.size(); ++i)
                    row[i] = uint16_t(codeAt(int(i / 3), y, int(i % 3), 65535.0));
            });
        writeExif(temporary, shot);
    });
}

void writeDng(const std::string &path, ImageView<const uint16_t> mosaic, const Shot &shot)
{
    if (mosaic.shape().planes != 1 || mosaic.shape().empty())
        throw ArgumentError("DNG: sensor values are one plane");
    writeAtomically(path, [&](const std::string &temporary) {
        std::unique_ptr<TIFF, void (*)(TIFF *)> tiff(TIFFOpen(temporary.c_str(), "wl"), &TIFFClose);
        if (!tiff || !writePicture(tiff.get(), mosaic, shot) || !writeExifDirectory(tiff.get(), shot))
            throw OutputError(temporary, "could not be written whole; is the disk full?");
        tiff.reset();
        writeExif(temporary, shot); // libtiff writes 1/500 as the fraction next to a float; exiv2 as 1/500, in place
    });
}

} // namespace yolk::demo
