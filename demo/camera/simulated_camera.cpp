#include "simulated_camera.h"

#include "colour/icc.h"
#include "colour/transfer.h"
#include "io/atomic_file.h"
#include "io/tiff.h"

#include <exiv2/exiv2.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::demo {
namespace {

/// SplitMix64 of a counter: a fixed hash, so that sample n is the same whoever asks for it. [Steele2014]
uint64_t hashed(uint64_t n)
{
    n += 0x9E3779B97F4A7C15ull;
    n = (n ^ (n >> 30)) * 0xBF58476D1CE4E5B9ull;
    n = (n ^ (n >> 27)) * 0x94D049BB133111EBull;
    return n ^ (n >> 31);
}

/// A standard normal deviate (Box-Muller) for sample n of a seed.
double normal(uint64_t seed, uint64_t n)
{
    const uint64_t a = hashed(seed * 0xD1342543DE82EF95ull + 2 * n),
                   b = hashed(seed * 0xD1342543DE82EF95ull + 2 * n + 1);
    const double u = (double(a >> 11) + 1.0) * 0x1p-53, v = double(b >> 11) * 0x1p-53;
    return std::sqrt(-2.0 * std::log(u)) * std::cos(2.0 * std::numbers::pi * v);
}

void writeExif(const std::string &path, const Shot &shot)
{
    const auto image = Exiv2::ImageFactory::open(path);
    image->readMetadata();
    Exiv2::ExifData &exif = image->exifData();
    exif["Exif.Image.Make"] = "Coop";
    exif["Exif.Image.Model"] = "Coop Pinhole 1";
    exif["Exif.Image.Orientation"] = uint16_t(1);
    const Exiv2::Rational time = shot.exposureSeconds < 0.3
                                     ? Exiv2::Rational(1, int(std::lround(1.0 / shot.exposureSeconds)))
                                     : Exiv2::Rational(int(std::lround(shot.exposureSeconds * 10.0)), 10);
    exif["Exif.Photo.ExposureTime"] = time;
    exif["Exif.Photo.FNumber"] = Exiv2::Rational(int(std::lround(shot.fNumber * 10.0)), 10);
    exif["Exif.Photo.ISOSpeedRatings"] = uint16_t(shot.iso);
    exif["Exif.Photo.DateTimeOriginal"] = shot.dateTime;
    exif["Exif.Photo.FocalLength"] = Exiv2::Rational(28, 1);
    image->writeMetadata();
}

} // namespace

Image<float> expose(ImageView<const float> radiance, const Shot &shot)
{
    Image<float> out(radiance.shape());
    const double gain = shot.iso / 100.0, well = kFullWell / gain; // electrons that reach clipping
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < radiance.height(); ++y)
            for (int x = 0; x < radiance.width(); ++x) {
                const double light = double(radiance.row(c, y)[x]) / shot.clipsAt;
                const double electrons = (light > 0.0 ? std::min(light, 4.0) : 0.0) * well;
                const uint64_t n = (uint64_t(y) * uint64_t(radiance.width()) + uint64_t(x)) * 3 + uint64_t(c);
                // Shot noise of so many electrons is normal to within what 8 bits can show.
                const double noisy = electrons + std::sqrt(electrons + kReadNoise * kReadNoise) * normal(shot.seed, n);
                out.row(c, y)[x] = float(std::min(noisy / well, 1.0));
            }
    return out;
}

void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind)
{
    const std::vector<std::byte> profile = iccProfile(OutputSpace::Srgb);
    const auto codeAt = [&](int x, int y, int c, double top) {
        return std::lround(encodeSrgb(std::clamp(double(linear.row(c, y)[x]), 0.0, 1.0)) * top);
    };
    writeAtomically(path, [&](const std::string &temporary) {
        if (kind == FrameFile::Jpeg)
            writeJpeg(temporary, linear.width(), linear.height(), 95, profile, [&](int y, std::span<uint8_t> row) {
                for (size_t i = 0; i < row.size(); ++i)
                    row[i] = uint8_t(codeAt(int(i / 3), y, int(i % 3), 255.0));
            });
        else
            writeTiff(temporary, linear.width(), linear.height(), profile, [&](int y, std::span<uint16_t> row) {
                for (size_t i = 0; i < row.size(); ++i)
                    row[i] = uint16_t(codeAt(int(i / 3), y, int(i % 3), 65535.0));
            });
        writeExif(temporary, shot);
    });
}

} // namespace yolk::demo
