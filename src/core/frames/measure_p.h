// Shared by the files that measure a set: single frames, the same places in several, exposures.
#pragma once

#include "frames/exposure_ratio.h"
#include "frames/measure.h"

namespace yolk {

/// How far a camera's real exposure lies from the exact step it marks, EV (common practice, no published source).
inline constexpr double kStatedError = 0.04;

struct Measuring {
    std::span<const FramePtr> frames;
    std::vector<DecodedPtr> pixels;
    std::vector<std::vector<size_t>> groups; ///< frames that can be compared, each group dark to bright as its pixels
                                             ///< are; none of radiance
};

// ---- each frame by itself (measure_alone.cpp)

/// Fills in the groups.
void groupFrames(Measuring &m);
void measureNoise(const Measuring &m, std::vector<MeasuredFrame> &out, ExecContext &ctx);
/// Of one camera at one ISO; frames without clipped pixels take it from the camera's others.
void measureWhites(const Measuring &m, const MeasureSources &sources, std::vector<MeasuredFrame> &out,
                   ExecContext &ctx);
void findDefects(const Measuring &m, const MeasureSources &sources, MeasuredSet &out, ExecContext &ctx);
DecodedPtr throughTables(const Image<uint16_t> &codes, const CodeTables &tables);
void measureShares(ImageView<const uint16_t> pixels, MeasuredFrame &out);
/// Each place from the brightest frame that does not clip there, of the group with most frames.
std::vector<LightSample> lightSamples(const Measuring &m, std::span<const MeasuredFrame> measured);

// ---- what frames say of each other (measure_places.cpp)

/// Frames of one group, dark to bright, at the same places of the scene.
struct PlacedGroup {
    std::vector<size_t> frames; ///< in Measuring::frames
    PlaceGrid grid;
    std::vector<std::vector<PlaceLight>> light; ///< one a frame
};
PlacedGroup placedGroup(const Measuring &m, const std::vector<size_t> &group, const SetPlaces &placing,
                        ExecContext &ctx);
/// The least value of a frame that its places say something at.
double lowestOf(const Frame &frame, const MeasuredFrame &measured);
/// A second look at clipping: where a darker frame says that there is more light, and a brighter one's values stand
/// still below its end, that is where it clips, whatever its file says.
void findStandstill(const Measuring &m, const PlacedGroup &placed, std::vector<MeasuredFrame> &out);
/// Places in light in place of the file's values, and without what is known of the frames' unevenness.
std::vector<std::vector<PlaceLight>> linearPlaces(const Measuring &m, const PlacedGroup &placed,
                                                  const SetPlaces &placing, const Response *curve,
                                                  std::span<const MeasuredFrame> measured, ExecContext &ctx);
/// The values that the file would have had without the frames' unevenness, under a curve; null: by the profile.
std::vector<std::vector<PlaceLight>> evenedPlaces(const Measuring &m, const PlacedGroup &placed,
                                                  const SetPlaces &placing, const Response *curve,
                                                  std::span<const MeasuredFrame> measured, ExecContext &ctx);
/// Bands and rims of the group's frames; says whether there are any. `light` are linear places.
bool findUnevenness(const Measuring &m, const PlacedGroup &placed, const SetPlaces &placing,
                    const std::vector<std::vector<PlaceLight>> &light, std::vector<MeasuredFrame> &measured,
                    ExecContext &ctx);

// ---- exposures and white balances (measure_exposures.cpp)

/// Frames whose statement lies further from what the links say than can be believed; all in log2.
std::vector<size_t> contradicted(std::span<const std::optional<double>> stated, std::span<const ExposureLink> links);

struct GroupLinks {
    std::vector<ExposureLink> links;             ///< frames count in the group
    std::vector<std::array<double, 3>> channels; ///< of each link, against all
    std::vector<std::array<double, 3>> channelErrors;
};
/// Steps between the frames of a group, counted as in `group`: from places where frames could be placed, else by rank.
GroupLinks linksOf(const Measuring &m, const std::vector<size_t> &group, const PlacedGroup &placed,
                   const std::vector<std::vector<PlaceLight>> &light, std::span<const MeasuredFrame> measured,
                   ExecContext &ctx);
/// Exposures from what is stated and what the links say.
void settleExposures(std::span<MeasuredFrame *const> frames, const GroupLinks &found, bool curveIsKnown,
                     bool mayFollow);
/// Light of red and blue over green, against the first frame's, where the frames were developed with white balances that
/// differ; says whether they were.
bool settleGains(std::span<MeasuredFrame *const> frames, const GroupLinks &found);
/// Gains against the reference frame's, whose white balance counts. Codes are then those of the channel that got most.
void gainsAgainst(size_t reference, std::vector<MeasuredFrame> &frames);
/// Exposures where nothing is stated, before the frames have been placed: by ranks of values.
void roughExposures(const Measuring &m, std::span<const std::optional<double>> stated, std::vector<MeasuredFrame> &out,
                    ExecContext &ctx);

} // namespace yolk
