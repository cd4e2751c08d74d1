// What the pixels of each frame say before anything is merged. Works on reduced decodes of a fixed size, so that the
// result does not depend on what is being rendered.
#pragma once

#include "frames/frame.h"
#include "frames/response.h"

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace yolk {

enum class ExposureSource {
    Stated,    ///< from metadata; the picture does not say otherwise, or says too much else to be believed
    Refined,   ///< from metadata, made finer by pixels that neighbouring frames both hold
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
    std::optional<double> stated; ///< relative exposure by metadata alone
    double pictureSays = 0.0;     ///< EV that the picture differs from `stated`; taken unless it is beyond 0.2
    double uncertainty = 0.0;     ///< of the exposure, EV; 0 where it is as sure as metadata are
    double clippedShare = 0.0;    ///< of the pixels: some channel at clipping
    double darkShare = 0.0;       ///< of the pixels: green below a signal-to-noise ratio of 1
    NoiseModel noise;
    NoiseSource noiseSource = NoiseSource::Assumed;
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
};

/// How a frame comes to its reduced pixels: decodeFrame(), or a cache in front of it.
using DecodedPtr = std::shared_ptr<const Image<uint16_t>>;
using Decode = std::function<DecodedPtr(const Frame &frame, int reduction, ExecContext &ctx)>;

/// Whether a curve may lie between the file's values and light: not in raw files, nor in files that say they are
/// linear.
bool isDeveloped(const Frame &frame);

/// The reduction that frames are measured at: raw files at half size, where red and blue are single sensor samples;
/// others so that some 0.4 to 1.6 million pixels are left.
int measuringReduction(const Frame &frame);

/// Measures each frame: noise, response, exposure, what is clipped and dark. Exposures start from metadata by
/// statedExposures() and are refined by exposureStep() between neighbours in brightness; frames without metadata are
/// chained by it. Frames of other sizes or kinds are not compared; radiance has exposure 1 and nothing to measure.
/// Throws InputError, Cancelled. Memory: 6 bytes for each pixel at measuringReduction().
MeasuredSet measureFrames(std::span<const FramePtr> frames, const Decode &decode, ExecContext &ctx);

} // namespace yolk
