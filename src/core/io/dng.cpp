#include "io/dng.h"

#include "base/errors.h"
#include "base/text.h"
#include "io/tiff_p.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace yolk {
namespace {

/// Tags that say what the samples mean.
void setColour(TIFF *tiff, const DngOptions &options)
{
    constexpr uint16_t kD65Illuminant = 21, kD50Illuminant = 23;
    const Matrix3 fromXyz = inverse(rgbToXyz(options.primaries));
    std::array<float, 9> matrix;
    std::ranges::transform(fromXyz.m, matrix.begin(), [](double v) { return float(v); });
    TIFFSetField(tiff, TIFFTAG_COLORMATRIX1, 9, matrix.data());
    const bool isD65 = options.primaries.white == kD65;
    TIFFSetField(tiff, TIFFTAG_CALIBRATIONILLUMINANT1, isD65 ? kD65Illuminant : kD50Illuminant);
    TIFFSetField(tiff, TIFFTAG_ASSHOTNEUTRAL, 3, std::array{1.0f, 1.0f, 1.0f}.data());
    TIFFSetField(tiff, TIFFTAG_BASELINEEXPOSURE, std::log2(options.peak));
    const std::array<float, 3> black{};
    TIFFSetField(tiff, TIFFTAG_BLACKLEVELREPEATDIM, std::array<uint16_t, 2>{1, 1}.data());
    TIFFSetField(tiff, TIFFTAG_BLACKLEVEL, 3, black.data());
    const uint32_t white = options.samples == DngSamples::Float ? 1u : 65535u;
    TIFFSetField(tiff, TIFFTAG_WHITELEVEL, 3, std::array{white, white, white}.data());
}

} // namespace

void writeDng(const std::string &path, int width, int height, const DngOptions &options, const FillRowReal &fill)
{
    if (width < 1 || height < 1)
        throw ArgumentError(textOf("DNG of %d x %d pixels: sides must be at least 1", width, height));
    if (!(options.peak > 0.0) || !std::isfinite(options.peak))
        throw ArgumentError("DNG: the brightest light must be above 0");
    const bool isFloat = options.samples == DngSamples::Float;
    const std::string model = options.camera.empty() ? "Radiance" : options.camera;
    bool written = false;
    {
        const Tiff tiff = openTiff(path, "w");
        if (!tiff)
            throw OutputError(path, "cannot be written");
        TIFF *const t = tiff.get();
        const std::array<uint8_t, 4> version{1, 4, 0, 0}, backward{1, uint8_t(isFloat ? 4 : 1), 0, 0};
        TIFFSetField(t, TIFFTAG_SUBFILETYPE, 0);
        TIFFSetField(t, TIFFTAG_IMAGEWIDTH, width);
        TIFFSetField(t, TIFFTAG_IMAGELENGTH, height);
        TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 3);
        TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, isFloat ? 32 : 16);
        TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, isFloat ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
        TIFFSetField(t, TIFFTAG_PHOTOMETRIC, kLinearRaw);
        TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        TIFFSetField(t, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
        // Readers of the plain variant often know no deflate.
        TIFFSetField(t, TIFFTAG_COMPRESSION, isFloat ? COMPRESSION_ADOBE_DEFLATE : COMPRESSION_NONE);
        if (isFloat) {
            TIFFSetField(t, TIFFTAG_PREDICTOR, PREDICTOR_FLOATINGPOINT);
            TIFFSetField(t, TIFFTAG_ZIPQUALITY, 3); // as other TIFFs
        }
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, isFloat ? 16 : height);
        TIFFSetField(t, TIFFTAG_MODEL, model.c_str());
        TIFFSetField(t, TIFFTAG_DNGVERSION, version.data());
        TIFFSetField(t, TIFFTAG_DNGBACKWARDVERSION, backward.data());
        TIFFSetField(t, TIFFTAG_UNIQUECAMERAMODEL, model.c_str());
        setColour(t, options);
        std::vector<float> row(size_t(width) * 3);
        std::vector<uint16_t> whole(isFloat ? 0 : row.size());
        const float scale = float(1.0 / options.peak);
        written = true;
        for (int y = 0; y < height && written; ++y) {
            fill(y, row);
            for (float &v : row)
                v = std::min(std::max(v * scale, 0.0f), 1.0f); // NaN falls to 0
            for (size_t i = 0; i < whole.size(); ++i)
                whole[i] = uint16_t(row[i] * 65535.0f + 0.5f);
            void *const samples = isFloat ? static_cast<void *>(row.data()) : whole.data();
            written = TIFFWriteScanline(t, samples, uint32_t(y)) >= 0;
        }
        written = written && TIFFWriteDirectory(t);
    }
    if (!written)
        throw OutputError(path, "could not be written whole; is the disk full?");
}

} // namespace yolk
