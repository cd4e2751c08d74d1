// What the pixels of each frame say before anything is merged. Works on reduced decodes of a fixed size, so that the
// result does not depend on what is being rendered.
#pragma once

#include "frames/defects.h"
#include "frames/evenness.h"
#include "frames/frame.h"
#include "frames/response.h"
#include "frames/white_level.h"

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace yolk {

enum class ExposureSource {
    Stated,    ///< from metadata; the picture does not say otherwise, or says too much else to be believed
    Refined,   ///< from metadata, made finer by pixels that neighbouring frames both hold
    Corrected, ///< metadata say something else, but the picture says clearly that they are wrong
    Estimated, ///< no metadata: from the pixels alone
    Assumed,   ///< neither was possible: taken as equal to the frame before it
};

enum class NoiseSource {
    Assumed,     ///< a usual sensor at this ISO: the picture does not tell
    GainOnly,    ///< shot noise measured; read noise assumed, nothing is dark enough to show it
    FromPicture, ///< both measured
};

struct MeasuredFrame {
    std::string id;        ///< of the frame
    double exposure = 1.0; ///< relative exposure t * ISO / N^2; for a set without metadata relative to its first frame
    ExposureSource source = ExposureSource::Stated;
    std::optional<double> stated; ///< relative exposure by metadata alone, of values that end at whiteShare
    double pictureSays = 0.0;     ///< EV that the picture differs from `stated`; taken unless `source` is Stated
    double uncertainty = 0.0;     ///< of the exposure, EV; 0 where it is as sure as metadata are
    double clippedShare = 0.0;    ///< of the pixels: some channel at clipping
    double darkShare = 0.0;       ///< of the pixels: green below a signal-to-noise ratio of 1
    NoiseModel noise;
    NoiseSource noiseSource = NoiseSource::Assumed;
    /// Clipping, as a share of what the file states: a raw file's plateau, the highest value of a developed one. 1.0 of
    /// the frame's linear values lies there, and `exposure` is of these values.
    double whiteShare = 1.0;
    /// Light of each channel over that of green, against the reference's: white balances of developed files may differ.
    Vector3 gains{1.0, 1.0, 1.0};
    /// Bands of flickering lamps, and fall-off to the rim against the other frames. What the merge takes is evened to the
    /// line that got most, and `exposure` is of that.
    Unevenness unevenness;
    /// The same under the profile's curve and under the fitted one; the automatic choice is what stands above.
    struct Light {
        double exposure = 1.0;
        Vector3 gains{1.0, 1.0, 1.0};
        NoiseModel noise;
        bool operator==(const Light &) const = default;
    };
    Light byProfile{}, byCurve{};
    std::optional<bool> aligned; ///< whether it lies on the others; empty: nobody has looked
    bool operator==(const MeasuredFrame &) const = default;
};

/// The light of one place of the scene: linear values of a frame over its relative exposure.
struct LightSample {
    float green = 0.0f, most = 0.0f; ///< most: of the three channels
    bool operator==(const LightSample &) const = default;
};

/// A picture that says more than that against its metadata is not believed, EV.
inline constexpr double kBelievable = 0.2;

/// Linear values from here on count as clipped: two 8-bit codes below the end.
inline constexpr double kClippedFrom = 0.982;

struct MeasuredSet {
    std::vector<MeasuredFrame> frames; ///< in the order given
    Response response;                 ///< of the developed files in it
    std::vector<LightSample> light;    ///< some 8000 places, spread evenly
    std::vector<SensorPlace> defects;  ///< of the sensor of the raw frames that are most
    std::string defectsOf;             ///< the camera
    bool operator==(const MeasuredSet &) const = default;
};

/// How a frame comes to its reduced pixels: decodeFrame(), or a cache in front of it.
using DecodedPtr = std::shared_ptr<const Image<uint16_t>>;
using DecodeFrame = std::function<DecodedPtr(const Frame &frame, int reduction, ExecContext &ctx)>;

/// What a raw file's sensor shows before anything is done to it.
struct SensorLook {
    SensorCounts counts;
    std::vector<SensorPlace> standingOut;
};
using SensorLookPtr = std::shared_ptr<const SensorLook>;

/// Where the frames lie to one of them.
struct SetPlaces {
    size_t reference = 0;
    std::vector<std::optional<PlaceMap>> maps; ///< one a frame; empty where nothing is known
};

/// What measuring asks for.
struct MeasureSources {
    DecodeFrame decode;
    std::function<SensorLookPtr(const Frame &frame, ExecContext &ctx)> sensor{}; ///< of raw frames; empty: none looks
    /// Brings frames onto each other, by what is known of them so far; empty: they lie as they were shot.
    /// `curveByRank` makes a first curve of developed files, from values of like rank: for frames that are found by no
    /// other means.
    std::function<SetPlaces(const MeasuredSet &rough, const std::function<Response()> &curveByRank, ExecContext &ctx)>
        place{};
};

/// Whether a curve may lie between the file's values and light: not in raw files, nor in files that say they are
/// linear.
bool isDeveloped(const Frame &frame);

/// The reduction that frames are measured at: raw files at half size, where red and blue are single sensor samples;
/// others so that some 0.4 to 1.6 million pixels are left.
int measuringReduction(const Frame &frame);

/// Measures each frame. First what a frame says by itself and by its file: white level, noise, exposure as stated
/// (without metadata roughly, by ranks of values). Then the frames are placed, and from what they show of the same
/// places come response and exposures. Metadata are believed unless the picture clearly says otherwise. Frames of other
/// sizes or kinds are not compared; radiance has exposure 1 and nothing to measure.
/// Throws InputError, Cancelled. Memory: 12 bytes for each pixel at measuringReduction().
MeasuredSet measureFrames(std::span<const FramePtr> frames, const MeasureSources &sources, ExecContext &ctx);

/// Linear codes of a file to those that the merge takes, by channel: clipping at whiteShare, then the response, then
/// gains against the channel that got most light, so that no clipped value claims more than it knows. Empty when all stays as it is.
struct CodeTables {
    std::array<std::vector<uint16_t>, 3> of;
    bool empty() const { return of[0].empty(); }
};
CodeTables codeTables(const Response *response, double whiteShare, const Vector3 &gains);

} // namespace yolk
