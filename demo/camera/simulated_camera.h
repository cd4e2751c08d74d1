// A stand-in for a real camera: takes scene radiance and an exposure, gives a frame with noise, clipping, code values
// and exposure metadata. Deterministic by seed: every sample's noise comes from a counter, so that frames can be remade
// bit for bit on any number of threads.
#pragma once

#include "colour/primaries.h"
#include "image/image.h"

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace yolk::demo {

struct Shot {
    double clipsAt = 1.0;         ///< radiance of a white surface at which the frame clips
    double exposureSeconds = 0.1; ///< marked time, written as metadata
    double fNumber = 8.0;
    int iso = 100;
    uint64_t seed = 1;
    std::string dateTime = "2026:05:01 05:48:00";
    bool tellsExposure = true; ///< false: no time, aperture and ISO in the file
};

/// How a real sensor differs from the one that its files speak of.
struct Sensor {
    Vector3 plateau{1, 1, 1}; ///< where each channel saturates, of the stated range from black to white, (0.5, 1]
    double softEnd = 0.0;     ///< the last share below the plateau that is bent, [0, 0.1]
    double blackError = 0.0;  ///< sensor values that black lies above what the file states
    double rowNoise = 0.0;    ///< standard deviation of each row's offset, electrons
    int hotPixels = 0;        ///< how many, at places that hotSeed says
    uint64_t hotSeed = 1;
    bool operator==(const Sensor &) const = default;
};

/// How a camera makes a file of linear values.
struct Development {
    std::function<double(double z, int channel)> code{}; ///< 0 .. 1 to code values 0 .. 1, rising; empty: sRGB
    int quality = 95;                                    ///< of JPEG
    bool halvedChroma = false;                           ///< of JPEG: 4:2:0
};

/// What the lens and the dust before the sensor do. Everything 0: nothing.
struct Lens {
    double softness = 0.0;   ///< standard deviation of its blur in pixels, [0, 3]
    double barrel = 0.0;     ///< at the middle the picture is larger by this share than at the corners, [0, 0.2]
    double redFringe = 0.0;  ///< red is larger than green by this share, [-0.01, 0.01]; 0.001 is 1 pixel in 1000
    double blueFringe = 0.0; ///< the same for blue
    double vignetting = 0.0; ///< stops of light that the corners lack, [0, 4]
    /// Standard deviation in pixels of the filter before the sensor, which keeps light from falling on one colour
    /// alone, [0, 2]; beside `softness`.
    double antiAlias = 0.0;
    int dustSpots = 0;     ///< how many, [0, 100]
    uint64_t dustSeed = 1; ///< where they lie: the same in all frames of a set
    /// Pixels and share of the light that each takes at its middle; 0: each its own, from 0.12 to 0.37.
    double dustRadius = 0.0, dustDepth = 0.0;
    bool operator==(const Lens &) const = default;
};

/// A speck before the sensor: takes depth (1 - d^2)^2 of the light at a distance of d radii from its middle, pixels.
struct Speck {
    double x, y, radius, depth;
};
std::vector<Speck> specksOf(const Lens &lens, int width, int height);

/// Electrons at clipping and read noise in electrons, at ISO 100; both a camera's usual order of size (common practice,
/// no published source).
inline constexpr double kFullWell = 25000.0, kReadNoise = 4.0;
/// Sensor values: 14 bit, black and clipping.
inline constexpr int kSensorBits = 14, kBlack = 512, kWhite = 16383;

/// Camera RGB of a white surface under D65; green clips first.
inline constexpr Vector3 kNeutral{0.55, 1.0, 0.68};
/// Linear Rec. 709 to camera RGB / kNeutral. Rows sum to 1; nothing is negative, so no real colour is either.
inline constexpr Matrix3 kCameraOfRec709{{0.74, 0.21, 0.05, 0.16, 0.70, 0.14, 0.03, 0.23, 0.74}};
/// XYZ to camera RGB, as DNG stores it.
Matrix3 cameraOfXyz();

/// The radiance that reaches the sensor behind a lens: blurred, displaced, dimmed. Between pixels cubic (Catmull-Rom),
/// held within the neighbours' range; past the edge the edge repeats. Shapes: linear RGB in, the same out. Throws
/// ArgumentError (out of range).
Image<float> throughLens(ImageView<const float> radiance, const Lens &lens);

/// Linear values of one frame of a sensor that sees three colours everywhere: 0 black, at most 1, with shot and read
/// noise; below 0 where read noise went there. Shapes: linear Rec. 709 in, three planes; the same out. NaN and negative
/// radiance count as dark. Shot noise is normal, which above some ten electrons it is to within the read noise.
Image<float> expose(ImageView<const float> radiance, const Shot &shot);

/// Sensor values of one frame behind a colour filter array RGGB (red at the left top), one plane.
Image<uint16_t> exposeMosaic(ImageView<const float> radiance, const Shot &shot, const Sensor &sensor = {});

/// Writes `linear` as JPEG (8 bit) or TIFF (16 bit) with sRGB profile and Exif data, complete or not at all. Coded is
/// sRGB of cameraShoulder(z, shoulder); 0 is plain sRGB.
enum class FrameFile { Jpeg, Tiff };
void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind,
                double shoulder = 0.0);
void writeFrame(const std::string &path, ImageView<const float> linear, const Shot &shot, FrameFile kind,
                const Development &development);
/// z (1 + s) / (1 + s z): brighter middles and a soft approach to white, as cameras develop. s >= 0.
double cameraShoulder(double z, double s);

/// Writes sensor values as DNG, 14 bit packed, with levels, matrix and white balance, complete or not at all.
/// Throws ArgumentError (not one plane), OutputError.
void writeDng(const std::string &path, ImageView<const uint16_t> mosaic, const Shot &shot);

} // namespace yolk::demo
